// What all pages of the site have in common; and the way back to a version.
import { ask } from './ask.js';
import { commands } from './commands.js';
import { offers } from './offers.js';

/** @type {() => Component & { st: FrameState, frame: WebpageFrame }} */
export const siteframe = () => ({
  st: JSON.parse(document.getElementById('frame').textContent),
  get frame() { return this.st.frame; },
  ...commands,
  trouble: '', said: '',

  init() {
    document.documentElement.style.setProperty('--try', this.frame.accent);
    offers(document.getElementById('navpage'));
  },
  get entries() { return this.frame.links.map((l, at) =>
    ({ ...l, at, leads: l.page ? this.titleOf(l.page) : l.address, out: `Take ${l.label} out`, up: `Move ${l.label} up`,
      first: at === 0 })); },
  titleOf(page) {
    const at = document.querySelector(`#navpage option[value="${page}"]`);
    if (at) this.named[page] = at.textContent;
    return this.named[page] ?? 'a page that was removed';
  },
  named: {},
  keep(change) { return this.run('PUT', '/web-pages/frame', () => ({ revision: this.st.revision, frame: change(this.frame) }),
    'Kept. All pages have it.'); },
  run(method, address, body, said) {
    return this.command(() => ask(method, address, body()), {
      did: (state) => {
        this.st = state;
        this.said = said;
        document.documentElement.style.setProperty('--try', this.frame.accent);
      },
      reload: () => ask('GET', '/web-pages/frame'),
      refused: (_, state) => {
        this.st = state || { ...this.st, frame: { ...this.frame } };
        this.said = '';
      },
    });
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
  undo() { return this.run('POST', '/web-pages/frame/undo', () => ({ revision: this.st.revision }), 'As before. All pages have it.'); },
  redo() { return this.run('POST', '/web-pages/frame/redo', () => ({ revision: this.st.revision }),
    'As it was again. All pages have it.'); },
});

export const history = () => ({
  trouble: '',
  async restore(id, version, revision) {
    try {
      await ask('POST', `/web-pages/${id}/restore`, { version, revision });
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
