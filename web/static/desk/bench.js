// The bench: settings on the right, the real reader on the stage. Each change
// goes to the server at once; the frame takes the size it computed, and where
// readers would get another page, a second frame loads behind the first and
// takes its place when it is ready, so that nothing flickers.
import { ask } from './ask.js';
import { panel } from './panel.js';

// Settings that the frame's size alone follows from.
const outerOnly = new Set(['width', 'max_width', 'height', 'align']);

export const bench = () => ({
  ...panel(),
  get s() { return this.st.settings; },
  st: JSON.parse(document.getElementById('state').textContent),
  base: 'house style', column: 640, windowHeight: 800, room: 0, busy: false, trouble: '', copied: '', queue: Promise.resolve(),

  init() {
    this.column = this.st.column;
    this.windowHeight = this.st.window;
    this.scrubs(this.$el, { column: { now: () => this.column, set: (value) => this.setColumn(value) } });
    new ResizeObserver(([entry]) => { this.room = entry.contentRect.width; this.lay(); }).observe(document.getElementById('desk'));
    this.show();
    this.watch();
  },
  /** While the document is still read, its facts and sizes keep coming in. */
  async watch() {
    while (this.st.examining) {
      await new Promise((resolve) => { setTimeout(resolve, 700); });
      await this.refresh();
      if (this.trouble) return;
      if (!this.st.examining) this.renew();
    }
  },

  // Asking, one request after the other.
  address(path) { return `/placements/${this.st.id}/${path}?column=${this.column}&window=${this.windowHeight}`; },
  run(request) {
    this.queue = this.queue.then(async () => {
      this.busy = true;
      try {
        const before = JSON.stringify(this.inner(this.st.settings));
        this.st = await request();
        this.trouble = '';
        if (JSON.stringify(this.inner(this.st.settings)) !== before) this.renew();
        this.show();
      } catch (refused) {
        this.st.problems = refused.problems ?? {};
        if (!Object.keys(this.st.problems).length) this.trouble = refused.message;
        if (refused.status === 409) this.run(() => ask('GET', this.address('state')));
        // Fields go back to what stands.
        this.st.settings = { ...this.st.settings };
        this.$nextTick(() => this.refill());
      } finally {
        this.busy = false;
        document.body.dataset.step = this.st.step;
      }
    });
    return this.queue;
  },
  inner(settings) { return Object.entries(settings).filter(([key]) => !outerOnly.has(key)); },
  refill() {
    for (const [id, value] of [['width', this.s.width.value], ['height', this.s.height.value], ['max_width', this.maxWidth()], ['open_at', this.s.open_at], ['percent', this.s.zoom.percent]]) {
      const field = document.getElementById(id);
      if (field) field.value = value;
    }
  },
  change(changes) { return this.run(() => ask('PATCH', this.address('draft'), { step: this.st.step, ...changes })); },
  undo() { return this.run(() => ask('POST', this.address('undo'))); },
  redo() { return this.run(() => ask('POST', this.address('redo'))); },
  publish() { return this.run(() => ask('POST', this.address('publish'))); },
  withdraw() { return this.run(() => ask('POST', this.address('withdraw'))); },
  refresh() { return this.run(() => ask('GET', this.address('state'))); },

  // The stage.
  setColumn(text) {
    const value = Math.round(Number(text));
    const field = document.getElementById('column');
    if (!(value >= Number(field.min) && value <= Number(field.max))) {
      this.trouble = `A column goes from ${field.min} to ${field.max} px. The earlier one is kept.`;
      field.value = this.column;
      return undefined;
    }
    this.trouble = '';
    this.column = value;
    return this.refresh();
  },
  setUsual(column, height) {
    this.column = column;
    this.windowHeight = height;
    return this.refresh();
  },
  show() {
    const held = document.getElementById('held');
    held.style.width = `${this.st.box.Width}px`;
    held.style.height = `${this.st.box.Height}px`;
    held.style.margin = this.st.style.Margin;
    document.getElementById('column-box').style.width = `${this.column}px`;
    this.lay();
  },
  /** A web page wider than the stage is shown smaller. */
  scale() { return this.room ? Math.min(1, this.room / (this.column + 64)) : 1; },
  lay() {
    const page = document.getElementById('webpage');
    const scale = this.scale();
    page.style.transform = scale < 1 ? `scale(${scale})` : '';
    page.style.marginRight = scale < 1 ? `${(scale - 1) * (this.column + 64)}px` : '';
    page.style.marginLeft = scale < 1 ? '0' : '';
  },
  renew() {
    const held = document.getElementById('held');
    held.querySelector('.coming')?.remove();
    const now = document.getElementById('now');
    const coming = document.createElement('iframe');
    coming.className = 'coming';
    coming.title = now.title;
    coming.src = now.getAttribute('src');
    coming.addEventListener('load', () => {
      if (!coming.isConnected) return;
      coming.className = '';
      now.remove();
      coming.id = 'now';
    }, { once: true });
    held.append(coming);
  },

  // Words.
  upToDate() { return this.st.published && this.st.unseen.length === 0; },
  standing() {
    if (!this.st.published) return 'Readers see nothing yet';
    const n = this.st.unseen.length;
    if (n === 0) return `Readers see this since ${this.st.since}`;
    return n === 1 ? '1 change readers don’t see yet' : `${n} changes readers don’t see yet`;
  },
  figure() { return `${this.st.words.width} × ${this.st.words.height}: ${Math.round(this.st.box.Width)} × ${Math.round(this.st.box.Height)} px, scale ${this.st.box.Scale.toFixed(2)}`; },
  boxWords() { return `The frame is ${Math.round(this.st.box.Width)} × ${Math.round(this.st.box.Height)} px.`; },
  pageWords() { return `Pages open at ${Math.round(this.st.percent)} % of true size.`; },
  takeWords() {
    const { download, print } = this.s;
    if (download && print) return 'The file, and a printout.';
    if (download) return 'The file; no printout.';
    return print ? 'A printout; the server keeps the file closed.' : 'Nothing: the server keeps the file and the print view closed.';
  },
  scaleWords() {
    const scale = this.scale();
    return scale < 1 ? `shown at ${Math.round(scale * 100)} %` : '';
  },

  // The code.
  openCode() {
    this.copied = '';
    document.getElementById('code').showModal();
  },
  async copy() {
    const field = document.getElementById('embed');
    try {
      await navigator.clipboard.writeText(this.st.code);
      this.copied = 'Copied';
    } catch {
      field.select();
      this.copied = 'Press Ctrl+C to copy';
    }
  },

  key(event) {
    const typing = /INPUT|TEXTAREA|SELECT/.test(event.target.tagName) && event.target.type !== 'radio' && event.target.type !== 'checkbox';
    if ((event.ctrlKey || event.metaKey) && !typing) {
      if (event.key === 'z' && !event.shiftKey) { event.preventDefault(); this.undo(); }
      if (event.key === 'y' || (event.key === 'z' && event.shiftKey)) { event.preventDefault(); this.redo(); }
      return;
    }
    if (typing || event.altKey || event.ctrlKey || document.querySelector('dialog[open]')) return;
    if (event.key === '?') document.getElementById('keys').showModal();
    if (event.key === 'e') this.openCode();
  },
});
