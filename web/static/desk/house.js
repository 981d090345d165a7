// House style: the same panel, with what follows from it drawn beside it.
import { ask } from './ask.js';
import { panel } from './panel.js';

const drawn = 240; // px, the widest drawing
const names = {
  width: 'Width', max_width: 'At most', height: 'Height', align: 'Stands', zoom: 'Zoom at opening', open_at: 'Opens at',
  navigation: 'Page navigation', toolbar: 'Toolbar', tools: 'Tools', download: 'The file', print: 'A printout',
};

export const house = () => ({
  ...panel(),
  get s() { return this.st.settings; },
  st: JSON.parse(document.getElementById('state').textContent),
  base: 'as delivered', windowHeight: 800, past: [], trouble: '', queue: Promise.resolve(),

  init() { this.scrubs(this.$el); },
  measured(key) {
    const middle = this.st.samples[1].box;
    return key === 'width' ? middle.Width : middle.Height;
  },
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

  followers() {
    return Object.entries(this.st.follow).filter(([key]) => names[key]).map(([key, n]) => ({
      key, name: names[key], said: n === this.st.placements ? 'all follow' : `${n} of ${this.st.placements} follow`,
    }));
  },

  // The drawings, in the column's own px.
  sampleWidth(m) { return (m.column / this.st.samples.at(-1).column) * drawn; },
  sampleHeight(m) { return (m.box.Height / m.column) * this.sampleWidth(m); },
  sampleView(m) { return `0 0 ${m.column} ${m.box.Height}`; },
  sampleLeft(m) { return { left: 0, right: m.column - m.box.Width }[this.s.align] ?? (m.column - m.box.Width) / 2; },
  sampleBar(m) { return this.s.toolbar ? 44 : 0; },
  samplePage(m) { return this.sampleLeft(m) + Math.max(12, (m.box.InnerWidth - m.page.width) / 2); },
  samplePageTop(m) { return this.sampleBar(m) + 12; },
  samplePageHeight(m) { return Math.max(0, Math.min(m.page.height, m.box.Height - this.samplePageTop(m) - 1)); },
  sampleWords(m) { return `column ${m.column} px: ${Math.round(m.box.Width)} × ${Math.round(m.box.Height)} px`; },
});
