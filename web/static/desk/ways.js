// The ways in which a placement stands on a web page: a choice, the page it
// makes, and its code.
import { ask, send } from './ask.js';

const fields = {
  inline: ['page'],
  element: ['page', 'starts', 'follow', 'words'],
  link: ['page', 'opens', 'words'],
  button: ['page', 'opens', 'words'],
  cover: ['page', 'opens', 'words', 'cover', 'picture', 'alt'],
  bare: ['page'],
  upgrade: ['page'],
};

export const ways = () => ({
  code: '', trouble: '', recorded: '', way: 'inline', picture: '',

  init() { this.change(); },
  async setRecord(field) {
    try {
      const { record } = await ask('POST', `/placements/${this.$root.dataset.placement}/record`, { record: field.value });
      field.value = record;
      this.recorded = record ? 'Kept.' : 'It belongs to no record.';
      this.trouble = '';
    } catch (refused) {
      this.recorded = '';
      this.trouble = refused.message;
    }
  },
  scripted() { return this.code.includes('<script'); },
  shows(field) { return fields[this.way].includes(field); },
  own() { return this.shows('picture') && this.picture !== ''; },
  page() { return this.shows('cover') && this.picture === ''; },
  async upload(field) {
    const [file] = field.files;
    if (!file) return;
    const sent = new FormData();
    sent.append('file', file);
    try {
      const { id, name } = await send('/pictures', sent, { progress: () => {}, started: () => {} });
      const list = document.getElementById('picture');
      if (![...list.options].some((o) => o.value === String(id))) list.add(new Option(name, id));
      list.value = String(id);
      await this.change();
    } catch (refused) {
      this.trouble = refused.message;
    }
    field.value = '';
  },
  typed() {
    clearTimeout(this.typing);
    this.typing = setTimeout(() => this.change(), 400);
  },
  async change() {
    clearTimeout(this.typing);
    const form = /** @type {HTMLFormElement} */ (document.getElementById('wayform'));
    const asked = new URLSearchParams();
    this.way = String(new FormData(form).get('way'));
    this.picture = document.getElementById('picture').value;
    for (const [name, value] of new FormData(form)) {
      const needs = { starts: 'starts', follow: 'follow', opens: 'opens', words: 'words', cover: 'cover', picture: 'picture',
        alt: 'alt' }[name] ?? 'page';
      if (value && (name === 'way' || this.shows(needs))) asked.set(name, String(value));
    }
    const query = asked.toString();
    if (query === this.shown) return;
    this.shown = query;
    const base = `/placements/${this.$root.dataset.placement}/ways`;
    try {
      const { code } = await ask('GET', `${base}/code?${query}`);
      if (query !== this.shown) return;
      this.code = code;
      this.trouble = '';
      history.replaceState(null, '', `?${query}`);
      document.getElementById('try').contentWindow.location.replace(`${base}/try?${query}`);
    } catch (refused) {
      this.trouble = refused.message;
      this.shown = '';
    }
  },
});
