// House style: the same panel, with what follows from it drawn beside it.
import { ask } from './ask.js';
import { panel } from './panel.js';

const drawn = 240; // px, the widest drawing
export const house = () => ({
  ...panel(),
  get s() { return this.st.settings; },
  st: JSON.parse(document.getElementById('state').textContent),
  base: 'as delivered', past: [], trouble: '', queue: Promise.resolve(),

  init() { this.scrubs(this.$el); },
  run(changes, remember) {
    this.queue = this.queue.then(async () => {
      const before = this.st.settings;
      try {
        this.st = await ask('PATCH', '/house-style', changes);
        this.trouble = '';
        if (remember) this.past.push(before);
      } catch (refused) {
        this.st.problems = refused.problems ?? {};
        if (!Object.keys(this.st.problems).length) this.trouble = refused.message;
        this.st.settings = { ...this.st.settings };
        for (const [id, value] of [['width', this.s.width.value], ['height', this.s.height.value], ['max_width', this.maxWidth()], ['percent', this.s.zoom.percent]]) {
          document.getElementById(id).value = value;
        }
      }
    });
    return this.queue;
  },
  change(changes) { return this.run(changes, true); },
  undo() {
    const back = this.past.pop();
    return back && this.run({ set: back, follow: [] }, false);
  },
  key(event) {
    if ((event.ctrlKey || event.metaKey) && event.key === 'z' && !/INPUT|SELECT/.test(event.target.tagName)) {
      event.preventDefault();
      this.undo();
    }
  },

  followWords(f) {
    const all = this.st.placements;
    return f.placements === all ? 'all follow' : `${f.placements} of ${all} follow`;
  },

  // The drawings, in the column's own px.
  sampleWidth(m) { return (m.column / this.st.samples.at(-1).column) * drawn; },
  sampleHeight(m) { return (m.box.Height / m.column) * this.sampleWidth(m); },
  sampleScale(m) { return `scale(${this.sampleWidth(m) / m.column})`; },
  /** Lines of text at their size: 11 pt on 16 pt, in margins of 20 mm. */
  sampleText(m) {
    const unit = m.box.Scale;
    const left = m.page.x + 57 * unit;
    const right = m.page.x + m.page.width - 57 * unit;
    const end = m.page.y + m.page.height;
    let d = '';
    for (let y = 78; y < 780 && m.page.y + y * unit < end; y += 16) {
      const short = (y - 78) % 80 === 64 ? 0.4 : 0;
      const width = right - left;
      d += `M${left} ${m.page.y + y * unit}h${width * (1 - short)}`;
    }
    return d;
  },
  sampleWords(m) { return `column ${m.column} px: ${Math.round(m.box.Width)} × ${Math.round(m.box.Height)} px`; },
});
