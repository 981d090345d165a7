// The bench: glosses at the left, the real reader on the stage, settings at the
// right. Each change goes to the server at once, which computes all figures; the
// frame takes the size it computed, and where readers would get another page, a
// second frame loads behind the first and takes its place when it is ready, so
// that nothing flickers.
import { ask, pause } from './ask.js';
import { commands } from './commands.js';
import { latest } from './latest.js';
import { panel } from './panel.js';
import { outer } from './settings.js';
import { Ruler } from './ruler.js';
import { Curve } from './curve.js';
import { grips } from './grips.js';
import { leaders } from './leaders.js';
import { drawing, drawnWidth, imageFrom } from './drawing.js';

const longDocument = 150; // pages
const byId = (id) => document.getElementById(id);

/** @type {() => Component & { st: BenchState, s: Settings, comparison: Comparison }} */
export const bench = () => ({
  ...panel(),
  ...latest,
  ...commands,
  get s() { return this.st.settings; },
  st: JSON.parse(byId('state').textContent),
  base: 'house style', mode: 'one', trouble: '', copied: '',
  at: '', pulling: false,
  letters: localStorage.getItem('letters') !== 'no', // whether single letters do something (WCAG 2.2, 2.1.4)
  setLetters(on) {
    this.letters = on;
    localStorage.setItem('letters', on ? 'yes' : 'no');
  },
  comparison: { unseen: [], edition: '', published: null, draft: null },

  init() {
    const asked = new URLSearchParams(location.search).has('column') ? 'column' : 'page';
    this.at = `${asked}=${this.st.screen[asked]}`;
    this.scrubs(this.$el, { column: { now: () => this.st.screen.column, set: (value) => this.show('column', value) } });
    this.ruler = new Ruler(byId('ruler'), (page) => this.show('page', page));
    this.curve = new Curve(byId('curve'), (column) => this.show('column', column));
    grips(byId('outline'), {
      size: () => ({ width: this.st.view.box.Width, height: this.st.view.box.Height, scale: this.scale() }),
      pull: (p, keep) => this.pull(p, keep),
      centred: () => this.s.align === 'centre',
    });
    new ResizeObserver(() => this.lay()).observe(byId('boards'));
    this.take(this.st);
    this.watch();
  },
  /** While the document is still read or measured, its facts keep coming in. */
  async watch() {
    while (this.st.examining) {
      await pause(700);
      const reading = this.st.facts.join();
      await this.refresh();
      if (this.trouble) return;
      if (this.st.facts.join() !== reading) this.renew();
    }
  },

  // Asking. Changes go one after the other; figures while something is dragged
  // are asked for as fast as they come, the latest only.
  address(path) { return `/placements/${this.st.id}/${path}?${this.at}&site=${this.st.site}`; },
  run(request) {
    let before = '';
    return this.command(() => {
      before = this.shown ?? JSON.stringify(this.inner(this.st.settings));
      return request();
    }, {
      did: (state) => {
        this.shown = null;
        if (JSON.stringify(this.inner(state.settings)) !== before) this.renew();
        this.take(state);
      },
      reload: () => ask('GET', this.address('state')),
      refused: ({ problems }, state) => {
        if (state) {
          this.shown = null;
          this.renew();
          this.take(state);
        }
        this.wrong(problems);
        this.$nextTick(() => this.refill());
      },
      ended: () => { document.body.dataset.revision = String(this.st.revision); },
    });
  },
  take(state) {
    this.st = state;
    if (this.mode === 'compare') this.compared();
    this.lay();
    document.body.dataset.shown = `${Math.round(state.screen.column)}`;
  },
  inner(settings) { return Object.entries(settings).filter(([key]) => !outer.has(key)); },
  /** What a command is made of: others may have gone on since. */
  saw() { return { revision: this.st.revision, house: this.st.of_house, version: this.st.version }; },
  seen() { this.st.notice = ''; },
  change(changes) { return this.run(() => ask('PATCH', this.address('draft'),
    { revision: this.st.revision, ...(typeof changes === 'function' ? changes() : changes) })); },
  start(name) { return this.run(() => ask('POST', this.address('starter'), { revision: this.st.revision, starter: name })); },
  undo() { return this.run(() => ask('POST', this.address('undo'), this.saw())); },
  redo() { return this.run(() => ask('POST', this.address('redo'), this.saw())); },
  // Waits for what is being kept; a second press finds nothing to do.
  async publish(anyway = false) {
    await this.queue;
    if (this.upToDate()) return;
    if (!anyway && this.st.musts.length) {
      byId('musts').showModal();
      return;
    }
    byId('musts').close();
    await this.run(() => ask('POST', `${this.address('publish')}${anyway ? '&anyway=1' : ''}`, this.saw()));
    byId('publish').focus();
    // Code that was pasted before keeps the room that it has.
    if (this.st.behind.length) this.openCode();
  },
  everywhere: false,
  standing20() { return this.everywhere ? this.st.stands : this.st.stands.slice(0, 20); },
  everywhereWords() { return `Show all ${this.st.stands.length} web pages`; },
  showEverywhere() { this.everywhere = true; },
  behindWords() {
    const n = this.st.behind.length;
    return n === 1 ? 'One page still keeps the room of the earlier size, as a viewer there told. Paste this code in its place:' :
      `${n} pages still keep the room of the earlier size, as viewers there told. Paste this code in its place:`;
  },
  mustWords(m) { return `${m.text} (${m.screens.join(', ')})`; },
  elsewhereWords(e) { return `On ${e.screens.join(', ')}: ${e.text}`; },
  showElsewhere(e) { return this.show('page', e.page); },
  withdraw() { return this.run(() => ask('POST', this.address('withdraw'), this.saw())).then(() => byId('publish').focus()); },
  refresh() { return this.run(() => ask('GET', this.address('state'))); },

  // What the stage shows.
  show(what, value) {
    this.at = `${what}=${value}`;
    this.trouble = '';
    return this.peek(() => ask('GET', this.address('state')));
  },
  typed(what, field) {
    const value = Math.round(Number(field.value));
    if (!(value >= Number(field.min) && value <= Number(field.max))) {
      this.trouble = `${what === 'page' ? 'A web page' : 'A column'} goes from ${field.min} to ${field.max} px. The earlier width is kept.`;
      field.value = Math.round(this.st.screen[what]);
      return undefined;
    }
    return this.show(what, value);
  },
  setSite(i) {
    this.st.site = Number(i);
    return this.show('page', this.st.screen.page);
  },
  pull(p, keep) {
    if (keep) {
      this.wanted = null;
      return this.run(() => ask('POST', this.address('pull'), { ...p, keep: true, revision: this.st.revision }));
    }
    this.shown ??= JSON.stringify(this.inner(this.st.settings));
    return this.peek(() => ask('POST', this.address('pull'), p));
  },
  /** A web page wider than the stage is shown smaller. */
  scale() {
    const room = byId('desk').clientWidth - 32;
    return room > 0 ? Math.min(1, room / this.st.screen.page) : 1;
  },
  lay() {
    const { screen, view, screens } = this.st;
    this.ruler?.draw(screen, screens);
    this.curve?.draw(this.st);
    if (this.mode !== 'one') { this.lines(); return; }
    const page = byId('webpage');
    const scale = this.scale();
    page.style.width = `${screen.page}px`;
    page.style.padding = `24px ${(screen.page - screen.column) / 2}px 32px`;
    byId('column-box').style.width = `${screen.column}px`;
    this.size();
    page.style.transform = scale < 1 ? `scale(${scale})` : '';
    page.style.marginBottom = scale < 1 ? `${(scale - 1) * page.offsetHeight}px` : '';
    page.style.marginLeft = `${Math.max((byId('desk').clientWidth - 32 - screen.page * scale) / 2, 0)}px`;
    const desk = byId('desk');
    const room = desk.getBoundingClientRect();
    const column = byId('column-box').getBoundingClientRect();
    const outline = byId('outline');
    outline.style.left = `${column.left + this.st.left * scale - room.left + desk.scrollLeft}px`;
    outline.style.top = `${column.top - room.top + desk.scrollTop}px`;
    outline.style.width = `${view.box.Width * scale}px`;
    outline.style.height = `${view.box.Height * scale}px`;
    this.$nextTick(() => this.lines());
  },
  /** Gives the frame its size. A long document takes a while to be laid out
      anew: while it is pulled, its outline follows at once, and it when the
      pointer rests. */
  size() {
    const apply = () => {
      const { view, style } = this.st;
      const held = byId('held');
      held.style.width = `${view.box.Width}px`;
      held.style.height = `${view.box.Height}px`;
      held.style.margin = style.Margin;
      for (const rule of style.Dress.split(';')) {
        const [name, value] = rule.split(':');
        held.style.setProperty(name, value);
      }
    };
    clearTimeout(this.resting);
    if (this.shown && this.st.pages > longDocument) this.resting = setTimeout(() => { apply(); this.lines(); }, 160);
    else apply();
  },
  lines() {
    const svg = byId('leaders');
    // The right grip stays where the frame's edge is in view.
    const edge = byId('held').getBoundingClientRect();
    const room = byId('desk').getBoundingClientRect();
    const [high, low] = [Math.max(edge.top, room.top), Math.min(edge.bottom, room.bottom)];
    byId('grip-right').style.top = `${Math.max((high + low) / 2 - edge.top - 13, 0)}px`;
    if (this.mode !== 'one') { svg.replaceChildren(); return; }
    leaders(svg, {
      glosses: this.st.view.glosses, margin: byId('margin').getBoundingClientRect(),
        gutter: document.querySelector('.gutter').getBoundingClientRect(),
      desk: byId('desk').getBoundingClientRect(), frame: byId('held').getBoundingClientRect(), scale: this.scale(),
        item: (g) => byId(this.glossId(g)),
    });
  },
  renew() {
    const held = byId('held');
    held.querySelector('.coming')?.remove();
    const now = byId('now');
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

  // Glosses.
  ruinedElsewhere() { return this.st.verdict.elsewhere.some((e) => e.level === 'must'); },
  elsewhereHeading() {
    const n = this.st.verdict.elsewhere.length;
    return n === 1 ? 'One more on other screens' : `${n} more on other screens`;
  },
  elsewhereId(e) { return `elsewhere-${e.kind}`; },
  glossId(g) { return `gloss-${g.kind}`; },
  levelWord(g) { return { must: 'Must fix: ', care: 'Take care: ', order: 'In order: ' }[g.level]; },
  glossHeading() {
    const { must, care } = this.st.verdict;
    if (!must && !care) return 'All in order, on every screen';
    return [must ? `${must} to fix` : '', care ? `${care} to take care of` : ''].filter(Boolean).join(', ').concat(', over all screens');
  },
  async fix(g, f) {
    await this.change({ set: f.set, follow: [] });
    // The button may be gone: the gloss, or else the margin's first, has the focus.
    this.$nextTick(() => {
      if (document.activeElement !== document.body) return;
      const next = byId(this.elsewhereId(g)) ?? byId(this.glossId(g)) ?? document.querySelector('.gloss');
      next?.setAttribute('tabindex', '-1');
      next?.focus();
    });
  },

  // Three ways to look.
  async setMode(mode) {
    this.mode = this.mode === mode ? 'one' : mode;
    if (this.mode === 'compare') await this.compared();
    this.$nextTick(() => this.lay());
  },
  showScreen(m) {
    this.mode = 'one';
    return this.show('page', m.screen.page);
  },
  drawInto(element, m) {
    const width = drawnWidth(m.screen, this.st.screens.map((o) => o.screen), Math.max(byId('desk').clientWidth - 32 - 3 * 20, 400));
    element.closest('.screen').style.width = `${width}px`;
    element.replaceChildren(drawing(m, width, imageFrom(this.st)));
  },
  async compared() {
    try {
      this.comparison = await ask('GET', this.address('compare'));
    } catch (refused) {
      this.trouble = refused.message;
      this.mode = 'one';
      return;
    }
    /** @type {[string, string, FrameBox][]} */
    const panes = [['seen', new URL(this.st.address).pathname, this.comparison.published],
      ['drafted', `/stage/${this.st.id}`, this.comparison.draft]];
    for (const [id, src, box] of panes) {
      const pane = byId(id);
      const stands = JSON.stringify([src, this.st.revision, this.st.since, box]);
      if (pane.dataset.stands === stands) continue;
      pane.dataset.stands = stands;
      const view = document.createElement('iframe');
      view.title = id === 'seen' ? 'What readers see' : 'The draft';
      view.src = src;
      pane.replaceChildren(view);
      const scale = Math.min(1, (byId('desk').clientWidth - 32 - 24) / 2 / box.Width);
      view.style.width = `${box.Width}px`;
      view.style.height = `${box.Height}px`;
      view.style.transform = `scale(${scale})`;
      pane.style.width = `${box.Width * scale}px`;
      pane.style.height = `${box.Height * scale}px`;
    }
  },

  // Words.
  whole(v) { return Math.round(v); },
  upToDate() { return this.st.published && this.st.unseen.length === 0; },
  standing() {
    if (!this.st.published) return 'Readers see nothing yet';
    const n = this.st.unseen.length;
    if (n === 0) return `Readers see this since ${this.st.since}`;
    return n === 1 ? '1 change readers don’t see yet' : `${n} changes readers don’t see yet`;
  },
  starterWords() {
    const { title, reason } = this.st.starter;
    return title ? `set up as ${title.toLowerCase()}: ${reason.charAt(0).toLowerCase()}${reason.slice(1)}` : 'started from house style.';
  },
  sentence(text) { return text.charAt(0).toUpperCase() + text.slice(1); },
  widthWords() { return `${this.st.words.width}, ${Math.round(this.st.view.box.Width)} px`; },
  heightWords() { return `${this.st.words.height}, ${Math.round(this.st.view.box.Height)} px`; },
  figure() {
    const { box, percent } = this.st.view;
    const rest = this.st.pulled ? ` · ${this.st.pulled}` : '';
    return `${Math.round(box.Width)} × ${Math.round(box.Height)} px · ${Math.round(percent)} %${rest}`;
  },
  sizeWords(box) { return box ? `${Math.round(box.Width)} × ${Math.round(box.Height)} px` : ''; },
  columnWords(m) { return `${Math.round(m.screen.column)} of ${Math.round(m.screen.page)} px`; },
  readWords(m) {
    if (m.worst.kind === 'body') return ''; // said already
    return m.typed ? `Body text at ${this.degrees(m.body.angle)}, ${m.body.band}.` : 'Its type cannot be measured.';
  },
  screenWords(m) { return `Show the stage as a ${m.screen.name}`; },
  degrees(a) { return `${(Math.floor(a * 100 + 1e-9) / 100).toFixed(2)}°`; },
  tall(bar, m) { bar.style.height = `${Math.max(Math.round((m.share / Math.max(...this.st.met.map((x) => x.share))) * 56), 3)}px`; },
  metWords(m) { return `${Math.round(m.column)} px: ${Math.round(m.share * 100)} % of ${this.st.met.reduce((sum, x) => sum + x.times, 0)} views. ${m.worst.title}`; },
  pageName(page) { return page.replace(/^https?:\/\//, ''); },
  seenWords(p) { return `${p.times} ${p.times === 1 ? 'view' : 'views'}, last on ${new Date(p.last_seen).toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric' })}`; },
  angleWords() {
    const { view } = this.st;
    const scale = this.scale();
    const shown = scale < 1 ? `Stage at ${Math.round(scale * 100)} %` : 'Stage at full size';
    return view.typed ? `${shown}. x-height of body text ${this.degrees(view.body.angle)} ━, of smallest ${this.degrees(view.smallest.angle)} ┅` : `${shown}. Type not measured.`;
  },
  fromWords() {
    const { readable_from: readable, comfortable_from: comfortable } = this.st.answers;
    if (!this.st.view.typed) return 'Type that is not measured cannot be judged.';
    if (!readable) return 'Body text reads in no column.';
    return `Body text reads from a column of ${Math.round(readable)} px on${comfortable ? `, comfortably from ${Math.round(comfortable)} px` : ''}.`;
  },
  pageWords() {
    const { one_page: tall, best_zoom: zoom } = this.st.answers;
    return `Page 1 shows whole in a frame ${Math.round(tall)} px tall.${this.st.view.typed ? ` ${Math.round(zoom)} % reads best here.` : ''}`;
  },
  lineWords() { return this.st.line; },

  // The code.
  openCode() {
    this.copied = '';
    byId('code').showModal();
  },
  async copy() {
    const field = byId('embed');
    try {
      await navigator.clipboard.writeText(this.st.code);
      this.copied = 'Copied';
    } catch {
      field.select();
      this.copied = 'Press Ctrl+C to copy';
    }
  },

  key(event) {
    const typing = /INPUT|TEXTAREA|SELECT/.test(event.target.tagName) && !['radio', 'checkbox', 'color'].includes(event.target.type);
    if ((event.ctrlKey || event.metaKey) && !typing) {
      if (event.key === 'z' && !event.shiftKey) { event.preventDefault(); this.undo(); }
      if (event.key === 'y' || (event.key === 'z' && event.shiftKey)) { event.preventDefault(); this.redo(); }
      return;
    }
    if (typing || event.altKey || event.ctrlKey || document.querySelector('dialog[open]')) return;
    if (event.key === '?') byId('keys').showModal();
    if (!this.letters && event.key !== 'Escape') return;
    if (event.key === 'e') this.openCode();
    if (event.key === 'a') this.setMode('all');
    if (event.key === 'c' && this.st.published) this.setMode('compare');
    if (event.key === 'g') document.querySelector('.gloss .fix button')?.focus();
    if (event.key === 'Escape' && this.mode !== 'one') this.setMode(this.mode);
  },
});
