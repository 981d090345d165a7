// The settings panel, shared by the bench and house style. It holds no rule:
// values go to the server, which says what stands.
import { scrub } from './scrub.js';

/** Gives the methods of a panel. Its owner has st (the state), s (its settings),
    base (a word for what is followed) and change(). */
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
  /** The first figure in a new unit is the size the frame has now. */
  setUnit(key, unit) { return this.set(key, { value: this.st.inUnits[key][unit], unit }); },
  setZoom(kind) { return this.set('zoom', { kind, percent: 100 }); },
  setPercent(text) { return this.set('zoom', { kind: 'percent', percent: Number(text) }); },
  hasTool(name) { return this.s.tools.includes(name); },
  setTool(name, on) {
    return this.set('tools', on ? [...this.s.tools, name] : this.s.tools.filter((t) => t !== name));
  },
  toolClosed(name) { return this.st.closed[name] ?? ''; },
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
      now: more[key]?.now() ?? { width: this.s.width.value, max_width: this.s.max_width || this.st.inUnits.width.px }[key] ?? this.s[key],
      set: (value) => {
        if (more[key]) return more[key].set(value);
        return key === 'width' ? this.setLength('width', value) : this.setNumber(key, String(value));
      },
    }));
  },
});
