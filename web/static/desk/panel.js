// The settings panel, shared by the bench and house style. It holds no rule:
// values go to the server, which says what stands.
import { scrub } from './scrub.js';
import { groups, limits, numbers } from './settings.js';
import { listed, read } from './websites.js';

// Fields in which something is typed that was not sent yet.
const typed = new WeakSet();
document.addEventListener('input', (event) => typed.add(event.target), true);
for (const end of ['change', 'focusout']) document.addEventListener(end, (event) => typed.delete(event.target), true);

/** Gives the methods of a panel. Its owner has st (the state), s (its settings),
    base (a word for what is followed) and change(). */
export const panel = () => ({
  dragged: null,
  explaining: localStorage.getItem('explaining') === 'yes',
  explain() {
    this.explaining = !this.explaining;
    localStorage.setItem('explaining', this.explaining ? 'yes' : 'no');
  },

  /** Shows a value in a field, unless somebody is typing there. */
  put(field, value) {
    if (!typed.has(field) && field.value !== String(value)) field.value = value;
  },
  own(key) { return this.st.own.includes(key); },
  problem(key) { return this.st.problems[key] ?? ''; },
  houseWords(key) { return `Reset to ${this.base}: ${this.st.house[key]}`; },
  follow(key) { return this.change({ set: {}, follow: [key] }); },
  /** A value may be what a function makes of the settings: several changes can
      be on their way, and each is made of what the one before left. */
  set(key, value) { return this.change(() => ({ set: { [key]: typeof value === 'function' ? value(this.s) : value }, follow: [] })); },

  limit(key) { return this.s[key] || ''; },
  setNumber(key, text) { return this.set(key, text === '' && limits.has(key) ? 0 : Number(text)); },
  setLength(key, text) { return this.set(key, (s) => ({ value: Number(text), unit: s[key].unit })); },
  /** The first figure in a new unit is the size the frame has now. */
  setUnit(key, unit) { return this.set(key, () => ({ value: this.st.inUnits[key][unit], unit })); },
  setZoom(kind) { return this.set('zoom', { kind, percent: 100 }); },
  setPercent(text) { return this.set('zoom', { kind: 'percent', percent: Number(text) }); },
  setColour(name, value) { return this.set('colours', (s) => ({ ...s.colours, [name]: value.trim() })); },
  siteWords() { return listed(this.s.sites); },
  setSites(text) { return this.set('sites', read(text)); },
  allowSite(origin) { return this.set('sites', (s) => [...s.sites, origin]); },
  refusedWords(r) { return `was refused ${r.times === 1 ? 'once' : `${r.times} times`}.`; },
  ratio(p) { return p.ratio < p.needs ? `${(Math.floor(p.ratio * 10) / 10).toFixed(1)} : 1, needs ${p.needs}` :
    `${(Math.floor(p.ratio * 10) / 10).toFixed(1)} : 1`; },
  groupFact(group) {
    const changed = groups[group].filter((k) => this.own(k)).length;
    return changed ? `${changed} changed` : this.base;
  },
  /** Tells at its field what was refused; all fields go back to what stands. */
  wrong(problems = {}) {
    this.st.problems = problems;
    if (Object.keys(problems).length) this.trouble = '';
    this.st.settings = { ...this.st.settings };
  },
  /** Fields go back to what stands, after a value was refused. */
  refill() {
    const values = { width: this.s.width.value, height: this.s.height.value, percent: this.s.zoom.percent };
    for (const key of limits) values[key] = this.limit(key);
    for (const key of numbers) values[key] = this.s[key];
    for (const [name, colour] of Object.entries(this.s.colours)) values[`colour-${name}`] = colour;
    values.background = this.s.background;
    values.sites = this.siteWords();
    for (const [id, value] of Object.entries(values)) {
      const field = document.getElementById(id);
      if (field) field.value = value;
    }
  },

  // Tools: chips that can be switched, and moved by drag or with Alt and an arrow.
  chip(t) { return `tool-${t.tool}`; },
  chipHelp(t) { return t.closed || (t.on ? 'Alt and an arrow key move it' : ''); },
  narrowChip(t) { return `narrow-${t.tool}`; },
  narrowWords() {
    const n = this.s.narrow_out.filter((t) => this.s.tools.includes(t)).length;
    return n ? `Narrow frames go without ${n === 1 ? 'one' : n} of them` : 'Narrow frames have all of them';
  },
  setNarrowTool(name, on) { return this.set('narrow_out',
    (s) => (on ? s.narrow_out.filter((t) => t !== name) : [...s.narrow_out, name])); },
  setTool(name, on) {
    return this.set('tools', (s) => [...s.tools.filter((t) => t !== name), ...(on ? [name] : [])]);
  },
  moveTool(name, to) {
    return this.set('tools', (s) => s.tools.filter((t) => t !== name).toSpliced(to, 0, name));
  },
  // The same by buttons, which touch and every pointer can press.
  ordering: false,
  toggleOrder() { this.ordering = !this.ordering; },
  chosenTools() {
    const on = this.st.tools.filter((t) => t.on);
    return on.map((t, at) => ({ ...t, at, last: at === on.length - 1, earlier: `${t.name} earlier`, later: `${t.name} later` }));
  },
  earlierId(t) { return `earlier-${t.tool}`; },
  laterId(t) { return `later-${t.tool}`; },
  async shiftTool(t, by) {
    await this.moveTool(t.tool, t.at + by);
    await this.$nextTick();
    const [earlier, later] = [this.earlierId(t), this.laterId(t)].map((id) => document.getElementById(id));
    (by < 0 && !earlier.disabled || later.disabled ? earlier : later).focus();
  },
  async chipKey(t, event) {
    const by = { ArrowLeft: -1, ArrowUp: -1, ArrowRight: 1, ArrowDown: 1 }[event.key];
    if (!event.altKey || !by || !t.on) return;
    event.preventDefault();
    const to = this.s.tools.indexOf(t.tool) + by;
    if (to < 0 || to >= this.s.tools.length) return;
    await this.moveTool(t.tool, to);
    this.$nextTick(() => document.getElementById(this.chip(t))?.focus());
  },
  chipDrag(t, event) {
    this.dragged = t.on ? t.tool : null;
    event.dataTransfer.effectAllowed = 'move';
    event.dataTransfer.setData('text/plain', t.name);
  },
  chipOver(event) { if (this.dragged) event.preventDefault(); },
  chipDrop(t, event) {
    event.preventDefault();
    const to = this.s.tools.indexOf(t.tool);
    if (this.dragged && to >= 0 && this.dragged !== t.tool) this.moveTool(this.dragged, to);
    this.dragged = null;
  },

  /** Labels of numbers can be dragged; more are fields outside the panel. */
  scrubs(root, more = {}) {
    scrub(root, (key) => ({
      now: more[key]?.now() ?? { width: this.s.width.value, max_width: this.s.max_width || this.st.inUnits.width.px,
        max_height: this.s.max_height || this.st.inUnits.height.px }[key] ?? this.s[key],
      set: (value) => {
        if (more[key]) return more[key].set(value);
        return key === 'width' ? this.setLength('width', value) : this.setNumber(key, String(value));
      },
    }));
  },
});
