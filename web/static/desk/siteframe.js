// What all pages of the site have in common; and the way back to a version.
import { ask } from './ask.js';

export const siteframe = () => ({
  ...JSON.parse(document.getElementById('frame').textContent),
  trouble: '', said: '', past: [], queue: Promise.resolve(),

  init() {
    document.documentElement.style.setProperty('--try', this.frame.accent);
  },
  get entries() { return this.frame.links.map((l, at) => ({ ...l, at, leads: l.page ? this.titleOf(l.page) : l.address, out: `Take ${l.label} out`, up: `Move ${l.label} up`, first: at === 0 })); },
  titleOf(page) { return [...document.getElementById('navpage').options].find((o) => Number(o.value) === page)?.textContent ?? 'a page that was removed'; },
  // One change after another, each made of what the one before left: a press of
  // a button ends the writing in a field, which is a change of its own.
  keep(change, remember = true) {
    this.queue = this.queue.then(async () => {
      const before = this.frame;
      try {
        const { revision, frame: kept } = await ask('PUT', '/web-pages/frame', { revision: this.revision, frame: change(before) });
        this.revision = revision;
        this.frame = kept;
        if (remember) this.past.push(before);
        this.trouble = '';
        this.said = 'Kept. All pages have it.';
        document.documentElement.style.setProperty('--try', kept.accent);
      } catch (refused) {
        this.trouble = refused.message;
        this.said = '';
        this.frame = { ...before };
      }
    });
    return this.queue;
  },
  set(name, value) { return this.keep((frame) => ({ ...frame, [name]: value })); },
  links(change) { return this.keep((frame) => ({ ...frame, links: change(frame.links) })); },
  label(at, label) { return this.links((list) => list.map((l, k) => (k === at ? { ...l, label } : l))); },
  out(at) { return this.links((list) => list.filter((_, k) => k !== at)); },
  up(at) { return this.links((list) => list.toSpliced(at - 1, 2, list[at], list[at - 1])); },
  add() {
    const { page, address } = this.$refs;
    const id = Number(page.value);
    const label = id ? page.selectedOptions[0].textContent : address.value.replace(/^https?:\/\/(www\.)?/, '').replace(/\/$/, '');
    if (!id && !address.value) return undefined;
    const link = id ? { label, page: id } : { label, address: address.value };
    page.value = '0';
    address.value = '';
    return this.links((list) => [...list, link]);
  },
  undo() {
    const back = this.past.pop();
    return back && this.keep(() => back, false);
  },
});

export const history = () => ({
  trouble: '',
  async restore(id, version) {
    try {
      await ask('POST', `/web-pages/${id}/restore`, { version });
      location.assign(`/web-pages/${id}`);
    } catch (refused) {
      this.trouble = refused.message;
    }
  },
});

/** A press that cannot be undone asks once more. */
export const sure = () => ({
  asked: false,
  sure(event) {
    if (this.asked) return;
    event.preventDefault();
    this.asked = true;
  },
});
