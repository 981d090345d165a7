// The contents: the outline as a list in lists, fetched when it is first opened,
// with the current place marked.

export class Contents {
  /** go(page) moves; done() is told when it closes. */
  constructor(nav, address, go, done) {
    Object.assign(this, { nav, address, go, done, links: [] });
    nav.addEventListener('keydown', (event) => {
      if (event.key !== 'Escape') return;
      event.stopPropagation();
      this.close();
    });
    nav.addEventListener('click', (event) => {
      const link = event.target.closest('a');
      if (!link) return;
      event.preventDefault();
      this.go(Number(link.dataset.to));
      // Where the contents cover the page, they make way for it.
      if (nav.offsetWidth > nav.parentElement.clientWidth * 0.6) this.close();
    });
  }

  async open(page) {
    if (!this.links.length) this.fill(await (await fetch(this.address)).json());
    this.nav.hidden = false;
    this.mark(page);
    (this.here ?? this.links[0]).focus();
    this.nav.scrollTop = (this.here?.offsetTop ?? 0) - this.nav.clientHeight / 3;
  }

  close() {
    this.nav.hidden = true;
    this.done();
  }

  fill(entries) {
    const lists = [document.createElement('ol')];
    for (const { title, level, page } of entries) {
      while (lists.length > level) lists.pop();
      while (lists.length < level) {
        const inner = document.createElement('ol');
        (lists.at(-1).lastElementChild ?? lists.at(-1).appendChild(document.createElement('li'))).append(inner);
        lists.push(inner);
      }
      const item = document.createElement('li');
      const link = document.createElement('a');
      link.href = `#page=${page}`;
      link.dataset.to = page;
      link.textContent = title;
      item.append(link);
      lists.at(-1).append(item);
      this.links.push(link);
    }
    this.nav.replaceChildren(lists[0]);
  }

  /** Marks the last heading that begins on the page or before it. */
  mark(page) {
    this.here?.removeAttribute('aria-current');
    this.here = this.links.findLast((l) => Number(l.dataset.to) <= page);
    this.here?.setAttribute('aria-current', 'location');
  }
}
