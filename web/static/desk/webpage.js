// A web page on the stage: what stands on it is chosen, dragged, pulled and
// written; each act goes to the server, which gives the next page, draws it and
// proofs it. What did not change stays where it is, so that documents are not
// loaded again.
import { addHere } from './addhere.js';
import { offers } from './offers.js';
import { ask, send, pause } from './ask.js';
import { commands } from './commands.js';
import { latest } from './latest.js';
import { Ruler } from './ruler.js';
import { grips } from './grips.js';
import { drag } from './drag.js';
import { stage } from './pagestage.js';
import { words, said } from './pagewords.js';

const byId = (id) => document.getElementById(id);
const read = (id) => JSON.parse(byId(id).textContent);
const splits = [['1', 'One column'], ['1-1', 'Two columns'], ['2-1', 'A wide and a narrow column'], ['1-2', 'A narrow and a wide column'],
  ['1-1-1', 'Three columns']]
  .map(([name, title]) => ({ name, words: title, parts: name.split('-').map((p, at) => ({ at, wide: p === '2' ? 'wide' : '' })) }));

/** @type {() => Component & { st: PageState }} */
export const webpage = () => ({
  ...commands, ...latest, ...stage, ...words,
  st: read('state'), pictures: read('pictures'), splits,
  chosen: '', column: null, trouble: '', planTrouble: '', mine: null, base: null, held: null, unreached: false, boxed: false,
    sized: false, box: {}, sending: false, sent: 0, drafts: {},

  init() {
    const picks = read('picks');
    this.titles = new Map(picks.map((p) => [p.id, p.title]));
    for (const select of document.querySelectorAll('select[data-offers]')) {
      select.addEventListener('offered', ({ detail }) => { for (const p of detail) this.titles.set(p.id, p.title); });
      offers(select);
      if (select.dataset.offers !== 'placements') continue;
      addHere(select, (offer) => {
        this.titles.set(offer.id, offer.title);
        select.options[0].after(new Option(`${offer.title} (not published)`, offer.id));
        this.setOf(offer.id);
      });
    }
    this.ruler = new Ruler(byId('ruler'), (width) => this.show(width));
    grips(byId('outline'), {
      size: () => ({ width: this.frame().box.Width, height: this.frame().box.Height, scale: this.scale() }),
      pull: (p, keep) => this.pull(p, keep),
      centred: () => this.frame().centred,
    });
    drag({ rows: byId('rows'), palette: byId('palette'), grab: byId('grab'), line: byId('dropline'), desk: byId('desk'),
      chosen: () => this.chosen,
      choose: (id) => this.select(id), move: (block, to) => this.act({ do: 'move', block, to }), add: (kind, to) => this.add(kind, to) });
    byId('palette').addEventListener('click', (event) => event.target.dataset.add && this.add(event.target.dataset.add));
    byId('grab').addEventListener('keydown', (event) => this.arrows(event, false));
    byId('rows').addEventListener('click', (event) => this.pressed(event));
    byId('rows').addEventListener('keydown', (event) => {
      if (event.key !== 'Enter' || !event.target.dataset.block) return;
      event.preventDefault();
      this.select(event.target.dataset.block);
      this.toSettings();
    });
    new ResizeObserver(() => this.lay()).observe(byId('boards'));
    new ResizeObserver(() => this.lay()).observe(byId('rows'));
    window.addEventListener('pagehide', () => this.now());
    window.addEventListener('beforeunload', (event) => { if (this.unreached && this.writing) event.preventDefault(); });
    this.take(this.st);
    this.look();
  },

  // Others may be at the same page.
  async look() {
    for (;;) {
      await pause(3000);
      if (this.busy || document.hidden) continue;
      try {
        const { revision, by, at } = await ask('GET', `/web-pages/${this.st.id}/step`);
        if (this.busy || revision === this.st.revision) continue;
        const state = await ask('GET', this.address('state'));
        if (this.busy) continue;
        this.take({ ...state, notice: `${by} changed this page, ${said(at)}. It is shown as it stands now.` });
      } catch { /* the next act says so */ }
    }
  },

  // Acts.
  address(path) { return `/web-pages/${this.st.id}/${path}?page=${this.st.window}`; },
  run(request) {
    return this.command(request, {
      did: (state) => {
        this.unreached = false;
        this.take(state);
        if (this.base !== null) this.base = state.revision;
      },
      reload: () => ask('GET', this.address('state')),
      refused: ({ status, said: answer }, state) => {
        this.take(state || { ...this.st });
        this.unreached = status === 0;
        if (status === 409) this.mine = answer?.mine?.do ? answer.mine : null;
      },
      ended: () => { document.body.dataset.step = String(this.st.step); },
    });
  },
  /** Does an act, or what a function makes of the page as the act before left it. */
  act(a, over = false) {
    const before = new Set(this.blocks().map((b) => b.id));
    return this.run(() => ask('POST', this.address('act'),
      { ...(typeof a === 'function' ? a() : a), revision: over ? this.st.revision : this.base ?? this.st.revision, over })).then((done) => {
      const added = a.do?.startsWith('add') && this.blocks().find((b) => !before.has(b.id));
      if (done && added) this.select(added.id);
      return done && added;
    });
  },
  undo() { return this.run(() => ask('POST', this.address('undo'), { revision: this.st.revision })); },
  redo() { return this.run(() => ask('POST', this.address('redo'), { revision: this.st.revision })); },
  // Waits for what is being kept; a second press finds nothing to do.
  publish() { return this.now().then(() => this.run(() =>
    (this.upToDate() ? this.st : ask('POST', this.address('publish'), { revision: this.st.revision })))); },
  withdraw() { return this.run(() => ask('POST', this.address('withdraw'), { version: this.st.holds })).then(() =>
    byId('publish')?.focus()); },
  dropPlans() { return this.run(() => ask('POST', this.address('plans/drop'), {})); },
  setPath(path) { return this.run(() => ask('POST', this.address('path'), { path })); },
  openPlan() {
    this.planTrouble = '';
    byId('plan').showModal();
  },
  async plan() {
    const time = (id) => (byId(id).value ? new Date(byId(id).value).toISOString() : null);
    await this.now();
    const ok = await this.run(() => ask('POST', this.address('publish'),
      { revision: this.st.revision, from: time('from'), until: time('until') }));
    this.planTrouble = ok ? '' : this.trouble;
    if (ok) byId('plan').close();
    else this.trouble = '';
  },
  pull(p, keep) {
    const block = this.chosen;
    const request = () => ask('POST', this.address('pull'), { ...p, block, keep, revision: this.st.revision });
    if (!keep) return this.peek(request);
    this.wanted = null;
    return this.run(request);
  },
  show(width) {
    this.st.window = width;
    return this.peek(() => ask('GET', this.address('state')));
  },
  typed(field) {
    const width = Math.round(Number(field.value));
    if (width >= Number(field.min) && width <= Number(field.max)) return this.show(width);
    this.trouble = `A window goes from ${field.min} to ${field.max} px. The earlier width is kept.`;
    field.value = this.st.window;
    return undefined;
  },
  seen() { this.st.notice = ''; },
  mineText() { return this.mine?.new?.text ?? ''; },
  async useMine() {
    const { mine } = this;
    this.mine = null;
    if (mine) await this.act(mine, true);
  },
  dropMine() {
    this.mine = null;
    this.trouble = '';
  },

  // What is chosen.
  blocks() { return this.st.page.rows.flatMap((r) => r.columns.flatMap((c) => c.blocks ?? [])); },
  spot() {
    const { rows } = this.st.page;
    for (let row = 0; row < rows.length; row += 1) {
      for (let column = 0; column < rows[row].columns.length; column += 1) {
        const at = (rows[row].columns[column].blocks ?? []).findIndex((b) => b.id === this.chosen);
        if (at >= 0) return { row, column, at };
      }
    }
    return this.column && rows[this.column.row]?.columns[this.column.column] ? { ...this.column, at: Infinity } : null;
  },
  get b() { return this.blocks().find((x) => x.id === this.chosen) ?? {}; },
  get kind() { return this.b.kind ?? ''; },
  get leads() { return this.kind === 'link' || this.kind === 'button'; },
  get row() { return this.st.page.rows[this.spot()?.row ?? -1] ?? null; },
  frame() { return this.st.frames[this.chosen]; },
  select(id, column = null) {
    if (this.chosen !== id) this.now();
    this.chosen = id;
    this.column = column;
    this.marked();
    this.$nextTick(() => this.lay());
  },
  pressed(event) {
    event.preventDefault();
    const block = event.target.closest('[data-block]');
    const column = event.target.closest('[data-column]');
    if (block) this.select(block.dataset.block);
    else if (column) this.select('', { row: this.st.page.rows.findIndex((r) => r.id === column.parentElement.dataset.row),
      column: Number(column.dataset.column) });
    else this.select('');
  },
  /** The first field of what is chosen, as soon as it is shown. */
  async toSettings() {
    const id = { text: 'text', placement: 'doc', picture: 'upload', collection: 'group', button: 'words', link: 'words' }[this.kind];
    for (let i = 0; id && i < 20; i += 1) {
      await new Promise(requestAnimationFrame);
      byId(id).focus();
      if (document.activeElement === byId(id)) return;
    }
  },
  async add(kind, to) {
    const below = this.chosen ? { block: this.chosen } : { row: this.row?.id, to: this.column ?? {} };
    const block = await this.act(to ? { do: 'add', new: { kind }, to } : { do: 'add-below', new: { kind }, ...below });
    if (block) this.toSettings();
  },
  where() {
    if (this.kind) return 'below what is chosen';
    return this.column ? 'to this column' : 'at the end';
  },
  edit(field, value) {
    const block = this.chosen;
    this.now();
    return this.act(() => ({ do: 'change', block, new: { ...this.blocks().find((b) => b.id === block), [field]: value } }));
  },
  setOf(value) { return this.edit('of', Number(value)); },
  setSize() { return this.edit('set', {}); },
  /** The focus goes on to what stands after the block, and is never lost. */
  async remove() {
    const all = this.blocks();
    const at = all.findIndex((b) => b.id === this.chosen);
    const next = all[at + 1] ?? all[at - 1];
    await this.act({ do: 'remove', block: this.chosen });
    if (next) this.select(next.id);
    this.$nextTick(() => { if (document.activeElement === document.body) document.querySelector('[aria-label="Undo"], .btn')?.focus(); });
  },
  ownRow() { return this.act({ do: 'own-row', block: this.chosen }); },
  canOwnRow() { return Boolean(this.kind && this.row && this.row.split !== '1'); },
  split(name) { return this.act({ do: 'split', row: this.row.id, split: name }); },
  isSplit(name) { return this.row?.split === name; },
  moveRow(by) { return this.act({ do: 'move-row', row: this.row.id, to: { row: Math.max(this.spot().row + by, 0) } }); },
  addRow() { return this.act({ do: 'add-row', split: '1', to: { row: this.spot().row + 1 } }); },
  dropRow() { return this.act({ do: 'drop-row', row: this.row.id }); },
  rename(field, value) { return this.act(() => ({ do: 'rename', title: this.st.page.title, description: this.st.page.description,
    [field]: value })); },

  /** Sets marks about what is selected, or before its lines; again takes them off. */
  mark(before, after = '') {
    const field = byId('text');
    const { selectionStart: from, selectionEnd: to, value } = field;
    if (after) {
      const within = value.slice(from, to) || (before === '[' ? 'words' : '');
      field.setRangeText(before + within + after, from, to, 'select');
      field.setSelectionRange(from + before.length, from + before.length + within.length);
    } else {
      const start = value.lastIndexOf('\n', from - 1) + 1;
      const lines = value.slice(start, to).split('\n');
      const off = lines.every((l) => l.startsWith(before));
      const text = lines.map((l) => (off ? l.slice(before.length) : before + l)).join('\n');
      field.setRangeText(text, start, to, 'end');
    }
    field.focus();
    field.dispatchEvent(new Event('input', { bubbles: true }));
  },

  // Writing: kept when the pen rests. What was seen when it began is what a
  // change is made of, so that nobody is written over unseen.
  hold() { this.base ??= this.st.revision; },
  release() {
    setTimeout(() => { if (!byId('work').querySelector('.settings').contains(document.activeElement)) this.base = null; });
  },
  write(field, value) {
    this.writing = { block: this.chosen, field, value, was: this.b };
    clearTimeout(this.resting);
    this.resting = setTimeout(() => this.now(), 700);
  },
  async now() {
    clearTimeout(this.resting);
    const w = this.writing;
    this.writing = null;
    if (w && w.was[w.field] !== w.value) {
      this.held = w;
      await this.act({ do: 'change', block: w.block, new: { ...w.was, [w.field]: w.value } });
      if (!this.unreached) this.held = null;
      else if (!this.writing) {
        this.trouble = 'The server cannot be reached. What you wrote stays here and is kept as soon as it is back.';
        this.writing = w;
        this.resting = setTimeout(() => this.now(), 4000);
      }
    }
    return this.queue;
  },
  /** What a text says, also while that is on its way. */
  text() { return this.held?.block === this.chosen ? this.held.value : this.b.text; },
  put(field, value) {
    if (document.activeElement !== field) field.value = value ?? '';
  },
  async upload(field) {
    const [file] = field.files;
    if (!file) return;
    const form = new FormData();
    form.append('file', file);
    this.sending = true;
    this.sent = 0;
    try {
      const picture = await send('/pictures', form, { progress: (percent) => { this.sent = percent; }, started: () => {} });
      if (!this.pictures.some((p) => p.id === picture.id)) this.pictures.unshift(picture);
      this.trouble = '';
      await this.setOf(picture.id);
    } catch (refused) {
      this.trouble = refused.message;
    }
    field.value = '';
    this.sending = false;
  },

  // Keys.
  /** Whatever can be dragged can be pressed, too. */
  stepBlock(by) { return this.act({ do: 'step', block: this.chosen, by }); },
  get columns() { return this.st.page.rows.find((r) => r.columns.some((c) =>
    c.blocks?.some((b) => b.id === this.chosen)))?.columns.length ?? 1; },
  arrows(event, needsAlt = true) {
    const by = { ArrowUp: 'up', ArrowDown: 'down', ArrowLeft: 'left', ArrowRight: 'right' }[event.key];
    if (!by || !this.chosen || event.ctrlKey || event.metaKey || (needsAlt && !event.altKey)) return;
    event.preventDefault();
    event.stopPropagation();
    this.stepBlock(by);
  },
  key(event) {
    const writes = /INPUT|TEXTAREA|SELECT/.test(event.target.tagName);
    if ((event.ctrlKey || event.metaKey) && !writes && 'zy'.includes(event.key)) {
      event.preventDefault();
      if (event.key === 'z' && !event.shiftKey) this.undo();
      else this.redo();
    } else if (event.altKey && !writes) this.arrows(event);
    else if (event.key === 'Delete' && !writes && this.chosen) this.remove();
    else if (event.key === '?' && !writes) byId('keys').showModal();
    else if (event.key === 'Escape' && !document.querySelector('dialog[open]')) this.select('');
  },
  get glosses() {
    const here = this.hereName();
    return this.st.glosses.map((g) => ({ ...g, id: this.glossId(g), about: this.st.frames[g.block]?.title ?? 'Document',
      on: g.screen === here ? '' : `, on a ${g.screen === 'wide' ? 'wide screen' : g.screen}`,
      word: g.level === 'must' ? 'Must fix: ' : 'Take care: ' }));
  },
});
