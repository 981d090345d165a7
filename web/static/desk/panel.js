// The settings panel, shared by the bench and house style. It holds no rule:
// values go to the server, which says what stands.
import { scrub } from './scrub.js';

/** Gives the methods of a panel. Its owner has st (the state), s (its settings),
    base (a word for what is followed), measured() and change(). */
export const panel = () => ({
  own(key) { return this.st.own.includes(key); },
  problem(key) { return this.st.problems[key] ?? ''; },
  houseWords(key) { return `Reset to ${this.st.house[key]}`; },
  follow(key) { return this.change({ set: {}, follow: [key] }); },
  set(key, value) { return this.change({ set: { [key]: value }, follow: [] }); },

  maxWidth() { return this.s.max_width || ''; },
  setNumber(key, text) {
    const value = text === '' && key === 'max_width' ? 0 : Number(text);
    return this.set(key, value);
  },
  setLength(key, text) { return this.set(key, { value: Number(text), unit: this.s[key].unit }); },
  setUnit(key, unit) { return this.set(key, { value: this.start(key, unit), unit }); },
  /** The first figure in a new unit is the size it has now. */
  start(key, unit) {
    const now = this.measured(key);
    if (unit === '%') return 100;
    if (unit === 'vh') return Math.min(Math.max(Math.round((now / this.windowHeight) * 100), 10), 200);
    if (unit === 'page') return 0;
    return Math.round(now);
  },
  setZoom(kind) { return this.set('zoom', { kind, percent: 100 }); },
  setPercent(text) { return this.set('zoom', { kind: 'percent', percent: Number(text) }); },
  hasTool(name) { return this.s.tools.includes(name); },
  setTool(name, on) {
    return this.set('tools', on ? [...this.s.tools, name] : this.s.tools.filter((t) => t !== name));
  },
  toolClosed(name) {
    if (name === 'download' && !this.s.download) return 'Readers may not take the file';
    if (name === 'print' && !this.s.print) return 'Readers may not take a printout';
    if ((name === 'turn' || name === 'number') && !this.s.navigation) return 'Page navigation is off';
    return '';
  },
  groupFact(group) {
    const keys = {
      frame: ['width', 'max_width', 'height', 'align'], pages: ['open_at', 'zoom', 'navigation'],
      toolbar: ['toolbar', 'tools'], take: ['download', 'print'],
    }[group];
    const changed = keys.filter((k) => this.own(k)).length;
    return changed ? `${changed} of its own` : this.base;
  },

  /** Labels of numbers can be dragged; more are fields outside the panel. */
  scrubs(root, more = {}) {
    scrub(root, (key) => ({
      now: more[key]?.now() ?? { width: this.s.width.value, max_width: this.s.max_width || Math.round(this.measured('width')) }[key] ?? this.s[key],
      set: (value) => {
        if (more[key]) return more[key].set(value);
        return key === 'width' ? this.setLength('width', value) : this.setNumber(key, String(value));
      },
    }));
  },
});
