// Documents of the list that are chosen, and what is done with all of them at once; each
// act can be undone.
import { ask } from './ask.js';

const words = {
  'put-in': 'put into the category', 'take-out': 'taken out of the category', publish: 'published', withdraw: 'withdrawn',
  start: 'begun with the starter', remove: 'removed',
};
const count = (n) => (n === 1 ? '1 document' : `${n} documents`);
const rowOf = (id) => /** @type {HTMLElement|null} */ (document.querySelector(`#rows [data-id="${id}"]`));
const most = 200; // placing.MostAtOnce

/** What a screen with the list in #rows, trouble and refresh() is given. */
export const chosen = {
  /** @type {number[]} */
  chosen: [], last: 0, acting: false,
  /** @type {Promise<any>} */
  acts: Promise.resolve(),
  done: { act: 0, said: '', left: [] },
  asked: { documents: [], title: '', uses: [], more: 0, moreSaid: '' },

  chosenSaid() { return `${count(this.chosen.length)} chosen`; },
  boxes() { return /** @type {HTMLInputElement[]} */ ([...document.querySelectorAll('#rows [data-id] input[type=checkbox]')]); },
  /** Somebody ticked one, or all that are shown. */
  tick(event) {
    const box = event.target;
    if (box.matches('[data-every]')) this.boxes().forEach((b) => { this.choose(Number(b.value), box.checked); });
    else if (box.closest('[data-id]')) this.choose(Number(box.value), box.checked);
    this.ticked();
  },
  choose(id, is) {
    this.chosen = this.chosen.filter((c) => c !== id);
    if (!is) return;
    if (this.chosen.length < most) this.chosen.push(id);
    else this.trouble = `At most ${most} documents can be chosen at once.`;
  },
  /** With the shift key all between the last one and this. */
  range(event) {
    const box = event.target;
    if (!box.matches?.('[data-id] input[type=checkbox]')) return;
    const all = this.boxes();
    const [from, to] = [all.findIndex((b) => Number(b.value) === this.last), all.indexOf(box)].sort((a, b) => a - b);
    this.last = Number(box.value);
    if (!event.shiftKey || from < 0) return; // the change that follows tells of this one
    all.slice(from, to + 1).forEach((b) => { this.choose(Number(b.value), box.checked); });
    this.ticked();
  },
  /** The boxes show what is chosen. */
  ticked() {
    const all = this.boxes();
    for (const b of all) b.checked = this.chosen.includes(Number(b.value));
    const every = /** @type {HTMLInputElement|null} */ (document.querySelector('#rows [data-every]'));
    if (!every) return;
    every.checked = all.length > 0 && all.every((b) => b.checked);
    every.indeterminate = !every.checked && all.some((b) => b.checked);
  },
  chooseNone() {
    this.chosen = [];
    this.ticked();
    document.querySelector('#rows input[type=checkbox]')?.focus();
  },

  categorise(event) {
    const field = event.target.querySelector('input');
    this.together(event.submitter?.value ?? 'put-in', field.value).then((did) => { if (did) field.value = ''; });
  },
  begin(event) { this.together('start', event.target.querySelector('select').value); },
  /** Does something with all that are chosen, and says what came of it; one after the other. */
  together(act, value = '', documents = this.chosen, anyway = false) {
    const all = [...documents];
    this.acts = this.acts.then(() => this.act(act, value, all, anyway));
    return this.acts;
  },
  async act(act, value, documents, anyway) {
    this.acting = true;
    const title = documents.length === 1 && rowOf(documents[0])?.dataset.title;
    try {
      const came = await ask('POST', anyway ? '/documents/bulk?anyway=1' : '/documents/bulk', { do: act, documents, with: value });
      this.told(came, came.did ? `${title ? `“${title}”` : count(came.did)} ${words[act]}${value && act !== 'start' ? ` “${value}”` : ''}.` : 'Nothing was changed.');
      if (act === 'remove') this.chosen = this.chosen.filter((id) => !documents.includes(id));
      await this.refresh();
      if (came.act) this.$nextTick(() => requestAnimationFrame(() => document.getElementById('undo').focus()));
      return came.did > 0;
    } catch (refused) {
      this.trouble = this.mustsAsked(refused, () => this.together(act, value, documents, true)) ? '' : refused.message;
      return false;
    } finally { this.acting = false; }
  },
  told(came, said) {
    this.trouble = '';
    const left = came.left ?? [];
    this.done = { act: came.act, said: said + (left.length ? ` ${count(left.length)} stayed as ${left.length === 1 ? 'it was' : 'they were'}:` : ''), left };
  },
  async undo() {
    try {
      const came = await ask('POST', `/documents/bulk/${this.done.act}/undo`);
      this.told({ act: 0, left: came.left }, 'Undone.');
      await this.refresh();
      const back = this.asked.documents.length === 1 && document.querySelector(`[data-remove="${this.asked.documents[0]}"]`);
      (back || document.querySelector('#rows [data-id] a'))?.focus();
    } catch (refused) { this.trouble = refused.message; }
  },
  close() {
    this.done = { act: 0, said: '', left: [] };
    (document.querySelector('#rows [data-id] a') ?? document.getElementById('file')).focus();
  },

  removeChosen() { this.remove([...this.chosen]); },
  /** Where documents stand somewhere, that is said first. */
  async remove(documents) {
    const row = rowOf(documents[0]);
    const title = documents.length === 1 && row ? `Remove “${row.dataset.title}”?` : `Remove ${count(documents.length)}?`;
    try {
      const { uses, more } = await ask('POST', '/documents/uses', { documents });
      this.trouble = '';
      this.asked = { documents, title, uses, more, moreSaid: `And ${more} places more.` };
    } catch (refused) {
      // Not knowing where they stand is no leave to remove them.
      this.trouble = `Nothing was removed: where ${documents.length === 1 ? 'it stands' : 'they stand'} could not be asked. ${refused.message}`;
      return;
    }
    if (this.asked.uses.length) document.getElementById('uses').showModal();
    else this.take();
  },
  take() { return this.together('remove', '', this.asked.documents); },
};
