// House style: the same panel. A change is thought of first: the server says
// what it would do to every placement that follows; then it is applied, to
// drafts or at once, or dropped.
import { ask, pause } from './ask.js';
import { commands } from './commands.js';
import { musts } from './musts.js';
import { panel } from './panel.js';
import { drawing, drawnWidth } from './drawing.js';

/** @type {() => Component & { st: HouseState, s: Settings }} */
export const house = () => ({
  ...panel(),
  ...commands,
  ...musts,
  get s() { return this.st.settings; },
  st: JSON.parse(document.getElementById('state').textContent),
  base: 'as delivered', past: [], trouble: '', looking: false,

  init() {
    this.scrubs(this.$el);
    this.carried();
    // What was not applied is kept nowhere else: leaving is asked about.
    window.addEventListener('beforeunload', (event) => { if (this.st.changes.length) event.preventDefault(); });
  },
  // Readers get a change one placement after the other: how far it has come is told.
  async carried() {
    if (this.looking || !this.st.carry || this.st.carry.ended) return;
    this.looking = true;
    while (!this.st.carry.ended) {
      await pause(1000);
      /** @type {CarryState | null} */
      const now = await ask('GET', '/house-style/carry').catch(() => null);
      if (now) this.st = { ...this.st, carry: now, said: now.said };
    }
    this.looking = false;
  },
  run(method, address, body, remember) {
    let before;
    return this.command(() => {
      before = this.st.thought;
      return ask(method, address, typeof body === 'function' ? body() : body);
    }, {
      did: (state) => {
        this.st = state;
        if (remember) this.past.push(before);
      },
      // What was thought of stays, on top of what others did.
      reload: () => ask('POST', '/house-style/thought', { revision: this.st.revision, thought: before, set: {}, follow: [] }),
      refused: (refusal, state) => {
        if (state) this.st = state;
        if (this.mustsAsked(refusal, () => this.apply(true, true))) this.trouble = '';
        this.wrong(refusal.problems);
        this.st.sites = this.st.sites.map((w) => ({ ...w }));
        this.$nextTick(() => { this.refill(); document.getElementById('budget').value = this.budget(); });
      },
    });
  },
  change(changes) { return this.run('POST', '/house-style/thought',
    () => ({ revision: this.st.revision, thought: this.st.thought, ...(typeof changes === 'function' ? changes() : changes) }), true); },
  undo() {
    const back = this.past.pop();
    if (back) return this.run('POST', '/house-style/thought',
      () => ({ revision: this.st.revision, thought: back, set: {}, follow: [] }), false);
    return this.canUndo() && this.run('POST', '/house-style/undo', () => ({ revision: this.st.revision }), false);
  },
  // First what is thought of is taken back, then what was put in force.
  canUndo() { return this.past.length > 0 || this.st.undo && !this.st.changes.length; },
  canRedo() { return this.st.redo && !this.st.changes.length; },
  redo() { return this.canRedo() && this.run('POST', '/house-style/redo', () => ({ revision: this.st.revision }), false); },
  // Where something would have to be fixed of what readers see, the server asks first.
  async apply(atOnce, anyway) {
    await this.run('PATCH', anyway ? '/house-style?anyway=1' : '/house-style', () => ({ revision: this.st.revision, thought: this.st.thought, set: {}, follow: [],
      at_once: atOnce }), false);
    if (!this.trouble && !this.st.changes.length) this.past = [];
    this.carried();
  },
  async drop() {
    await this.run('GET', '/house-style/state', undefined, true);
  },
  key(event) {
    if ((event.ctrlKey || event.metaKey) && /^[zy]$/.test(event.key) && !/INPUT|SELECT/.test(event.target.tagName)) {
      event.preventDefault();
      if (event.key === 'y') this.redo();
      else this.undo();
    }
  },

  // What is asked, and the websites.
  budget() { return Math.round(this.st.budget / 1000); },
  async terms(change) {
    const { revision, thought, changes } = this.st;
    await this.run('PUT', '/house-style/terms', () => ({ revision: this.st.revision, budget: this.st.budget, sites: this.st.sites,
      ...change(this.st.sites) }), false);
    if (!changes.length || this.trouble) return;
    // What is thought of and not applied yet stays.
    const { said } = this.st;
    await this.run('POST', '/house-style/thought', () => ({ revision, thought, set: {}, follow: [] }), false);
    this.st = { ...this.st, said };
  },
  setBudget(text) { return this.terms(() => ({ budget: Math.round(Number(text) * 1000) })); },
  setSite(i, key, text) { return this.terms((sites) => ({
    sites: sites.map((w, k) => (k === i ? { ...w, [key]: key === 'name' ? text.trim() : Number(text) } : w)) })); },
  addSite() { return this.terms((sites) => ({ sites: [...sites, { ...sites.at(-1), name: `Website ${sites.length + 1}` }] })); },
  removeSite(i) { return this.terms((sites) => ({ sites: sites.filter((_, k) => k !== i) })); },
  removeWords(w) { return `Remove ${w.name}`; },

  // Words.
  followWords(f) {
    const all = this.st.placements;
    return f.placements === all ? 'all follow' : `${f.placements} of ${all} follow`;
  },
  thoughtWords() { return this.st.changes.length === 1 ? 'One change, not applied yet' :
    `${this.st.changes.length} changes, not applied yet`; },
  effectWords() {
    const n = this.st.reached;
    if (!n) return 'No placement follows what changes.';
    if (n === 1) return `One placement follows what changes; ${this.st.readers ? 'it would change for readers, too' : 'for readers it stays as it is'}.`;
    const told = this.st.effects.length;
    return `${n} placements follow what changes; ${this.st.readers === n ? 'all' : this.st.readers || 'none'} of them would change for readers.${told < n ? ` What it does to the first ${told}:` : ''}`;
  },
  whereWords(e) { return `${e.published ? 'published' : 'not published'}${e.screens.length ? '' : ' · its findings stay the same'}`; },
  turnWords(t) { return `${t.screen}: ${t.title} ${t.better ? '– no longer' : '– now'}`; },
  atOnceWords() {
    if (!this.st.readers) return 'Apply and publish';
    return this.st.readers === 1 ? 'Apply and publish 1 placement' : `Apply and publish ${this.st.readers} placements`;
  },

  drawInto(element, m) {
    const room = Math.max(element.closest('.samples').clientWidth - 48 - 3 * 20, 240);
    const width = drawnWidth(m.screen, this.st.samples.map((o) => o.screen), room);
    element.closest('.sample').style.width = `${width}px`;
    element.replaceChildren(drawing(m, width));
  },
  sampleWords(m) { return `${Math.round(m.box.Width)} × ${Math.round(m.box.Height)} px in ${Math.round(m.screen.column)}`; },
});
