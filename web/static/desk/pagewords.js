// What the stage of a web page says of it. Its owner has st (the state), b (the
// block that is chosen), kind, box and frame().
const clock = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'long', hour: '2-digit', minute: '2-digit' });

/** Writes a moment for people. */
export const said = (time) => clock.format(new Date(time));

const kinds = { text: 'Text', placement: 'Document', picture: 'Picture', collection: 'Collection', link: 'Link', button: 'Button' };

export const words = {
  named(b) {
    return `${kinds[b.kind]}${b.kind === 'placement' && b.of ? `: ${this.titles.get(b.of) ?? ''}` : b.text ? `: ${b.text.slice(0, 40)}` : ''}`;
  },
  upToDate() { return this.st.holds > 0 && !this.st.differences.length; },
  standing() {
    if (!this.st.holds) return 'Readers see nothing yet';
    const n = this.st.differences.length;
    return n ? `${n} ${n === 1 ? 'change' : 'changes'} that readers do not see` : 'Readers see this';
  },
  last() { return `last changed by ${this.st.by}, ${said(this.st.at)}`; },
  allWell() { return Object.keys(this.st.frames).length ? 'All documents on this page are in order.' :
    'Put a document on the page, and what readers get of it is said here.'; },
  sameWords() { return this.st.holds ? `Nothing: readers see this page as ${this.st.since_by} published it, ${said(this.st.since)}.` :
    'All of it: the page was never published, or is withdrawn.'; },
  planWords() { return this.st.plans.map((p) => (p.version ? `Version ${p.version} is published on ${said(p.due)}.` :
    `The page is withdrawn on ${said(p.due)}.`)).join(' '); },
  kindWords() { return kinds[this.kind] ?? ''; },
  benchOf() { return `/placements/${this.b.of}`; },
  differs() { return Boolean(this.frame()?.own.length); },
  ownWords() { return `Here it has a size of its own (${(this.frame()?.own ?? []).map((k) => k.replace('_', ' ')).join(', ')}).`; },
  figure() { return `${Math.round(this.box.Width ?? 0)} × ${Math.round(this.box.Height ?? 0)} px${this.st.pulled ? `, ${this.st.pulled}` : ''} in a column of ${Math.round(this.box.Column ?? 0)}`; },
};
