// A collection: what is in it, how it stands, and how readers see it. Each change
// goes to the server at once, and to every page that shows the collection.
import { addHere } from './addhere.js';
import { ask } from './ask.js';
import { commands } from './commands.js';
import { offers } from './offers.js';
import { listed, read } from './websites.js';

/** @type {() => Component & { st: CollectionState, s: CollectionCollection }} */
export const collection = () => ({
  st: JSON.parse(document.getElementById('state').textContent),
  ...commands,
  trouble: '', said: '', widthSaid: '',
  known: new Map(), found: null,

  init() {
    this.learn(this.st.offers.rows);
    this.$nextTick(() => offers(this.$refs.add, (rows) => {
      this.learn(rows);
      this.found = rows;
    }, this.st.offers.rows.length, this.free.length));
    this.$nextTick(() => addHere(this.$refs.add, (offer) => {
      this.learn([offer]);
      this.change((items) => [...items, { placement: offer.id, category: '' }], 'Added.');
    }));
    const width = document.getElementById('gwidth');
    width.value = document.querySelector('.trystage').clientWidth - 32;
    this.wide(width.value);
  },
  /** Remembers what documents are called. */
  learn(rows) { for (const p of rows) this.known.set(p.id, p); },
  get s() { return this.st.content; },
  get sites() { return listed(this.s.sites); },
  get items() {
    return this.s.items.map((item, at) => {
      const p = this.known.get(item.placement) ?? { title: 'A document that was removed', published: false, guarded: false };
      return { ...item, at, title: p.title, published: p.published, guarded: Boolean(p.guarded && p.published),
        last: at === this.s.items.length - 1, bench: `/placements/${item.placement}`,
        up: `Move ${p.title} up`, down: `Move ${p.title} down`, out: `Take ${p.title} out`, catlabel: `Category of ${p.title}` };
    });
  },
  get categories() { return [...new Set(this.s.items.map((i) => i.category).filter(Boolean))]; },
  /** What can be added: what is found, else what is at hand, the ones used last by themselves. */
  get free() {
    return (this.found ?? this.st.offers.rows).filter((p) => !this.s.items.some((i) => i.placement === p.id)).map((p) =>
      ({ id: p.id, lately: p.lately ?? 0, name: p.published ? p.title : `${p.title} (not published)` }));
  },
  get lately() { return this.free.filter((p) => p.lately).sort((a, b) => a.lately - b.lately); },
  get left() { return this.free.filter((p) => !p.lately); },

  keep(change, said) { return this.run('PUT', '', () => ({ revision: this.st.revision, content: change(this.st.content) }), said); },
  run(method, path, body, said) {
    return this.command(() => ask(method, `/collections/${this.st.id}${path}`, body()), {
      did: (state) => {
        this.st = state;
        this.learn(state.offers.rows);
        this.said = said;
        document.getElementById('try').src = state.address;
      },
      reload: () => ask('GET', `/collections/${this.st.id}/state`),
      refused: (_, state) => {
        this.st = state || { ...this.st, content: { ...this.st.content } };
        this.said = '';
      },
    });
  },
  set(name, value) { return this.keep((s) => ({ ...s, [name]: value }), 'Kept. Readers see it.'); },
  async setHeight(field) {
    await this.set('height', Math.round(Number(field.value)));
    field.value = this.s.height;
  },
  setSites(text) { return this.set('sites', read(text)); },
  change(items, said) { return this.keep((s) => ({ ...s, items: items(s.items) }), said); },
  add() {
    const id = Number(this.$refs.add.value);
    return id && this.change((items) => [...items, { placement: id, category: '' }], 'Added.');
  },
  async move(at, by) {
    const item = this.s.items[at];
    await this.change((items) => items.toSpliced(at, 1).toSpliced(at + by, 0, items[at]), 'Moved.');
    await this.$nextTick();
    const buttons = document.querySelectorAll(`[data-item="${item.placement}"] .mover button`);
    (by < 0 && !buttons[0].disabled ? buttons[0] : buttons[1].disabled ? buttons[0] : buttons[1]).focus();
  },
  categorise(at, category) { return this.change((items) =>
    items.map((i, k) => (k === at ? { ...i, category: category.trim() } : i)), 'Kept.'); },
  take(at) { return this.change((items) => items.filter((_, k) => k !== at), 'Taken out. Undo brings it back.'); },
  undo() { return this.st.undo && this.run('POST', '/undo', () => ({ revision: this.st.revision }), 'As before.'); },
  redo() { return this.st.redo && this.run('POST', '/redo', () => ({ revision: this.st.revision }), 'As it was again.'); },
  key(event) {
    if ((event.ctrlKey || event.metaKey) && /^[zy]$/.test(event.key) && !/INPUT|SELECT|TEXTAREA/.test(event.target.tagName)) {
      event.preventDefault();
      if (event.key === 'y') this.redo();
      else this.undo();
    }
  },
  wide(px) {
    this.widthSaid = `${px} px`;
    document.getElementById('try').style.width = `${px}px`;
  },
});
