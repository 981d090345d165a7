// Documents on a web page: one script for the whole page, however many stand on
// it. It makes viewers of <incipit-placement> elements and of links that ask for
// it, opens documents over the page, and carries messages between page and
// viewer. It frames its own host alone, keeps nothing and sets no cookie.
(() => {
  if (customElements.get('incipit-placement')) return;
  const { src, dataset } = document.currentScript;
  const host = new URL(src).origin;
  const frames = new Map(); // window of a viewer -> who is told

  /** The address of a reader or a collection on our host, from an address or a
      bare key. */
  const readerAt = (of, place) => {
    let url;
    try {
      url = new URL(/^[a-z0-9]{20}$/.test(of) ? `/r/${of}` : of, host);
    } catch {
      return null;
    }
    const [key] = url.pathname.match(/^\/([rc]\/[a-z0-9]{20}|record\/[^/]+)(?=\/|$)/) ?? [];
    return url.origin === host && key ? { base: host + key, hash: place ? `#${place}` : url.hash } : null;
  };

  const make = (name, style, attributes = {}, ...children) => {
    const e = document.createElement(name);
    e.style.cssText = style;
    for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
    e.append(...children);
    return e;
  };

  /** The style that is written on an element: a page's policy may keep browsers
      from reading it there. */
  const styleOf = (e) => {
    const written = e.getAttribute('style');
    if (written && !e.style.length) e.style.cssText = written;
    return e.style;
  };

  /** Puts a viewer in front of what an element holds; told hears what it says. A
      token goes in a form: it stands in no address. */
  const show = (at, title, within, told, token) => {
    const to = at.base + at.hash;
    const name = `incipit-${Math.random()}`;
    const frame = make('iframe', 'display:block;width:100%;height:100%;border:0', { title, allow: 'fullscreen; clipboard-write', referrerpolicy: 'no-referrer-when-downgrade', ...(token ? { name } : { src: to }) });
    within.append(frame);
    frames.set(frame.contentWindow, told);
    if (token) {
      const form = make('form', 'display:none', { method: 'post', action: to, target: name }, make('input', '', { name: 'token', value: token }));
      within.append(form);
      form.submit();
      form.remove();
    }
    return frame;
  };

  // Only what a viewer of ours says is heard.
  addEventListener('message', (event) => {
    const told = event.origin === host && typeof event.data?.incipit === 'string' && frames.get(event.source);
    if (told) told(event.data);
  });

  const near = new IntersectionObserver((entries) => {
    for (const { isIntersecting, target } of entries) if (isIntersecting) target.start();
  }, { rootMargin: '100% 0px' });

  class Placement extends HTMLElement {
    static observedAttributes = ['of', 'at', 'record'];

    connectedCallback() {
      const { parentElement } = this;
      if (parentElement?.getAttribute('style')?.startsWith('container-type')) styleOf(parentElement);
      const style = styleOf(this);
      style.display ||= 'block';
      style.position ||= 'relative';
      const starts = this.getAttribute('starts');
      if (starts === 'press') this.cover();
      else if (starts === 'now') this.start();
      else near.observe(this);
    }

    disconnectedCallback() {
      near.unobserve(this);
      this.end();
    }

    attributeChangedCallback(name) {
      if (!this.frame) return;
      if (name === 'at') this.go(this.getAttribute('at') ?? '');
      else {
        this.end();
        this.start();
      }
    }

    /** Where it is read: an address, a key, or a record of the page's own. */
    get place() {
      const record = this.getAttribute('record');
      const at = readerAt(record ? `/record/${encodeURIComponent(record)}` : this.getAttribute('of') ?? '', this.getAttribute('at'));
      if (!at) return null;
      this.gathers = at.base.startsWith(`${host}/c/`);
      if (this.gathers && this.choice) at.base += `?show=${this.choice}`;
      if (this.token) at.base += '/enter';
      return at;
    }

    /** What is chosen in a collection stands in the page's address. */
    get choice() {
      const key = new URLSearchParams(location.hash.slice(1)).get(this.getAttribute('choice') || 'shown') ?? '';
      return /^[a-z0-9]{20}$/.test(key) ? key : '';
    }

    get name() { return this.getAttribute('label') || this.textContent.trim() || 'Document'; }

    start() {
      near.unobserve(this);
      if (this.frame) return;
      const at = this.place;
      if (!at) return void this.tell({ incipit: 'error', message: 'The address is none of this host.' });
      const { name } = this;
      this.setAttribute('label', name);
      this.replaceChildren();
      this.base = at.base;
      this.frame = show(at, name, this, (said) => this.tell(said), this.token);
    }

    end() {
      frames.delete(this.frame?.contentWindow);
      this.frame?.remove();
      this.frame = null;
    }

    /** Page 1 as a picture, until somebody presses it. */
    cover() {
      const at = this.place;
      if (!at || this.token || this.gathers) return this.start();
      const name = this.name;
      const picture = make('img', 'width:100%;height:100%;object-fit:contain;object-position:top;background:#efe8d8', { src: `${at.base}/cover/1/800`, alt: '', loading: 'lazy' });
      const button = make('button', 'position:absolute;inset:0;width:100%;height:100%;padding:0;border:1px solid #d9cfba;background:none;cursor:pointer', { type: 'button', 'aria-label': `${this.getAttribute('words') || 'Read'}: ${name}` }, picture,
        make('span', 'position:absolute;inset:auto 0 16px;margin:auto;width:max-content;max-width:90%;padding:8px 16px;border-radius:3px;background:#9c2a24;color:#fffdf8;font:16px sans-serif', {}, this.getAttribute('words') || 'Read'));
      button.addEventListener('click', () => {
        this.start();
        this.frame.focus();
      });
      this.setAttribute('label', name);
      this.replaceChildren(button);
    }

    tell(said) {
      if (said.incipit === 'chosen' && said.key !== this.choice) history.pushState(history.state, '', said.key ? `#${this.getAttribute('choice') || 'shown'}=${said.key}` : location.pathname + location.search);
      if (said.incipit === 'page' && this.getAttribute('height') === 'follows' && said.tall > 0) this.style.height = `${Math.ceil(said.tall)}px`;
      this.dispatchEvent(new CustomEvent(`incipit-${said.incipit}`, { bubbles: true, detail: said }));
      if (said.incipit === 'page' && said.page === said.of) this.dispatchEvent(new CustomEvent('incipit-end', { bubbles: true, detail: said }));
    }

    /** Shows another document, or the same one again. A guarded one needs a token
        that the page's own server signed. */
    open(of, at = '', token = '') {
      const same = this.frame && this.getAttribute('of') === of && !token && !this.hasAttribute('record');
      this.token = token;
      if (same) return this.setAttribute('at', at);
      this.end();
      this.removeAttribute('record');
      this.setAttribute('at', at);
      this.setAttribute('of', of);
      return this.start();
    }

    /** The same for what is attached to a record of the page's own. */
    openRecord(record, at = '', token = '') {
      this.end();
      this.token = token;
      this.setAttribute('at', at);
      this.setAttribute('record', record);
      return this.start();
    }

    /** Goes to a place (RFC 8118): page=3, zoom=120, search=tide. */
    go(place) {
      this.start();
      // Only the fragment changes: the viewer is not loaded again.
      if (this.frame) this.frame.src = `${this.base}#${typeof place === 'number' ? `page=${place}` : place}`;
    }

    find(words) { this.go(`search=${encodeURIComponent(words)}`); }

    zoom(percent) { this.go(`zoom=${Number(percent)}`); }
  }
  customElements.define('incipit-placement', Placement);

  // Back and forward choose in collections.
  addEventListener('popstate', () => {
    for (const e of document.querySelectorAll('incipit-placement')) if (e.gathers) e.frame?.contentWindow.postMessage({ incipit: 'choose', key: e.choice }, host);
  });

  // Opening over the page: a dialog that Escape, its button and "back" close.
  let over = null;
  const shut = () => {
    const dialog = over;
    over = null;
    frames.delete(dialog?.querySelector('iframe').contentWindow);
    dialog?.close();
    dialog?.remove();
  };
  const open = (at, title) => {
    shut();
    const close = make('button', 'position:absolute;top:0;right:0;width:44px;height:44px;border:0;background:none;font:24px sans-serif;cursor:pointer;color:inherit', { type: 'button', 'aria-label': dataset.close || 'Close' }, '×');
    const mine = make('dialog', 'box-sizing:border-box;width:min(1200px,96vw);height:94vh;max-width:none;max-height:none;padding:44px 0 0;border:1px solid #b9ae97;border-radius:3px;background:#fffdf8;color:#23222b', { 'aria-label': title, tabindex: -1 }, close);
    // Links inside the viewer have steps of the history of their own: the way back
    // leads past them, to where the page was.
    const from = window.navigation?.currentEntry?.key;
    const back = () => {
      if (over !== mine) return;
      if (!from) {
        shut();
        history.back();
      } else for (const step of Object.values(navigation.traverseTo(from))) step.catch(shut);
    };
    over = mine;
    close.addEventListener('click', back);
    mine.addEventListener('cancel', (event) => {
      event.preventDefault();
      back();
    });
    mine.addEventListener('click', (event) => { if (event.target === mine) back(); });
    document.body.append(mine);
    // The focus goes to the dialog: were it on a button, the Enter that opened
    // it would press that. It goes on to the viewer when that is ready.
    const frame = show(at, title, mine, (said) => {
      if (said.incipit === 'leave') return back();
      if (said.incipit === 'ready' && document.activeElement === mine) frame.focus();
      return document.dispatchEvent(new CustomEvent(`incipit-${said.incipit}`, { detail: said }));
    });
    history.pushState({ ...history.state, incipit: at.base }, '');
    mine.showModal();
    mine.focus();
  };
  addEventListener('popstate', shut);
  document.addEventListener('click', (event) => {
    const link = event.target.closest?.('a[data-incipit=over]');
    if (!link || event.defaultPrevented || event.button || event.ctrlKey || event.metaKey || event.shiftKey) return;
    const at = readerAt(link.href);
    if (!at) return;
    event.preventDefault();
    open(at, link.title || link.textContent.trim() || link.querySelector('img')?.alt || 'Document');
  });

  // A link on which somebody wrote "here" becomes the viewer itself, in the room
  // that the link was given.
  const upgrade = (root) => {
    for (const link of root.querySelectorAll?.('a[data-incipit=here]') ?? []) {
      const at = readerAt(link.href);
      if (!at) continue;
      link.replaceWith(make('incipit-placement', styleOf(link).height ? link.style.cssText : 'display:block;height:min(80vh,900px)', { of: at.base, at: at.hash.slice(1), label: link.textContent.trim() }));
    }
  };
  upgrade(document);
  new MutationObserver((changes) => {
    for (const c of changes) for (const n of c.addedNodes) if (n.nodeType === 1) upgrade(n.parentElement ?? n);
  }).observe(document, { childList: true, subtree: true });
})();
