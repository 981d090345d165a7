// Documents on a web page: one script for the whole page, however many stand on
// it. It makes viewers of <incipit-placement> elements and of links that ask for
// it, opens documents over the page, and carries messages between page and
// viewer. It frames its own host alone, keeps nothing and sets no cookie, and
// changes no node of the page that it did not make.
(() => {
  // As a module it does not know its own element; its address is then on one of the
  // page's, or where an error would have happened.
  const named = /^https?:\/\/[^\s?#]*\/onpage(\/[0-9a-f]{16})?\.js\b/;
  const { src, dataset = {} } = document.currentScript ?? [...document.scripts].find((s) => named.test(s.src)) ?? {
    src: new Error().stack.match(/https?:[^\s)]*?\/onpage(\/[0-9a-f]{16})?\.js/)[0] };
  const host = new URL(src).origin;
  // A copy from another host serves beside the first one, and by it.
  const hosts = /** @type {any} */ (window)[Symbol.for('incipit')] ??= new Set();
  hosts.add(host);
  if (customElements.get('incipit-placement')) return;

  // What the page's own readers are told before a viewer can speak for itself.
  const spoken = {
    en: ['Read', 'Close', 'This document cannot be reached just now.', 'Try again'],
      de: ['Lesen', 'Schließen', 'Dieses Dokument ist gerade nicht erreichbar.', 'Noch einmal'],
    fr: ['Lire', 'Fermer', 'Ce document est injoignable pour le moment.', 'Réessayer'],
      es: ['Leer', 'Cerrar', 'No se puede acceder a este documento ahora.', 'Reintentar'],
    pl: ['Czytaj', 'Zamknij', 'Ten dokument jest chwilowo niedostępny.', 'Spróbuj ponownie'],
      uk: ['Читати', 'Закрити', 'Цей документ зараз недоступний.', 'Спробувати ще раз'],
    ar: ['قراءة', 'إغلاق', 'يتعذر الوصول إلى هذا المستند الآن.', 'إعادة المحاولة'],
      he: ['קריאה', 'סגירה', 'לא ניתן להגיע למסמך הזה כרגע.', 'לנסות שוב'],
    hi: ['पढ़ें', 'बंद करें', 'यह दस्तावेज़ अभी नहीं मिल रहा है।', 'फिर कोशिश करें'], ja: ['読む', '閉じる', 'この文書には今接続できません。', 'もう一度試す'],
      zh: ['阅读', '关闭', '目前无法打开此文档。', '重试'],
  };
  const tongue = (at) => at.closest('[lang]')?.lang ?? (at.getRootNode().host ? tongue(at.getRootNode().host) : '');
  const say = (at, n) => (spoken[tongue(at).slice(0, 2).toLowerCase()] ?? spoken.en)[n];

  /** The address of a reader or a collection on a host of ours, from an address or a
      bare key. */
  const readerAt = (of, place) => {
    let url;
    try {
      url = new URL(/^[a-z0-9]{20}$/.test(of) ? `/r/${of}` : of, host);
    } catch {
      return null;
    }
    const [path, key] = url.pathname.match(/^\/([rc]\/[a-z0-9]{20}|record\/[^/]+)(?=\/|$)/) ?? [];
    return hosts.has(url.origin) && key ? { base: url.origin + path, hash: place ? `#${place}` : url.hash, key } : null;
  };

  const make = (name, style, attributes = {}, ...children) => {
    const e = document.createElement(name);
    e.style.cssText = style;
    for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
    e.append(...children);
    return e;
  };

  const sheet = (text) => {
    const s = new CSSStyleSheet();
    s.replaceSync(text);
    return s;
  };

  // Only what a viewer of ours says is heard. What is gone with its page is not held.
  const viewers = new WeakMap(); // window of a viewer -> who is told
  addEventListener('message', (event) => {
    if (hosts.has(event.origin) && typeof event.data?.incipit === 'string') viewers.get(event.source)?.hear(event.data);
  });

  const patience = 30000; // ms, after which a host that says nothing is away
  const grace = 5000; // ms, once something has been loaded

  /** One viewer in a frame. A token goes in a form: it stands in no address. */
  class Viewer {
    constructor(at, title, within, token, tell) {
      this.at = at;
      this.tell = tell;
      const name = `incipit-${Math.random()}`;
      const to = at.base + (token ? '/enter' : at.query ?? '') + at.hash;
      this.frame = make('iframe', '', { title, allow: 'fullscreen; clipboard-write', referrerpolicy: 'no-referrer-when-downgrade',
        ...(token ? { name } : { src: to }) });
      within.append(this.frame);
      viewers.set(this.frame.contentWindow, this);
      this.wait(patience);
      this.frame.addEventListener('load', () => this.wait(grace), { once: true });
      if (token) {
        const form = make('form', 'display:none', { method: 'post', action: to, target: name },
          make('input', '', { name: 'token', value: token }));
        within.append(form);
        form.submit();
        form.remove();
      }
    }

    wait(ms) {
      clearTimeout(this.timer);
      if (!this.spoke) this.timer = setTimeout(() => this.tell({ incipit: 'error', reason: 'host-away' }), ms);
    }

    hear(said) {
      this.spoke = true;
      clearTimeout(this.timer);
      if (said.incipit === 'ready') {
        this.ready = true;
        for (const m of this.waiting ?? []) this.send(m);
        this.waiting = null;
      }
      this.tell(said);
    }

    send(message) {
      if (this.ready) this.frame.contentWindow?.postMessage(message, this.at.base);
      else (this.waiting ??= []).push(message);
    }

    end() {
      clearTimeout(this.timer);
      viewers.delete(this.frame.contentWindow);
      this.frame.remove();
    }
  }

  // What pages are told, by event, and with what.
  const details = { ready: ['pages', 'name'], page: ['page', 'of', 'label'], end: ['page', 'of', 'label'], download: [],
    chosen: ['key', 'title'], token: ['seconds'], error: ['reason', 'page'] };

  /** Tells a page what a viewer says: each of it once, in order, and nothing else. */
  const telling = (on, state, more = {}) => {
    const event = (name, said) => on.dispatchEvent(new CustomEvent(`incipit-${name}`,
      { bubbles: true, composed: true, detail: { ...Object.fromEntries(details[name].flatMap((k) =>
        (said[k] === undefined ? [] : [[k, said[k]]]))), ...more } }));
    const page = (said) => {
      if (said.page === state.page) return;
      Object.assign(state, { page: said.page, count: said.of });
      event('page', said);
      if (said.page === said.of && !state.ended) {
        state.ended = true;
        event('end', said);
      }
    };
    return (said) => {
      if (said.incipit === 'ready') {
        // A collection is ready, and so is each document that is chosen in it.
        const what = said.pages ? 'read' : 'listed';
        if (state[what]) return;
        Object.assign(state, { [what]: true, name: said.name });
        event('ready', said);
        if (said.pages) page({ ...said, of: said.pages });
      } else if (said.incipit === 'page') {
        if (state.read) page(said);
      } else if (said.incipit === 'chosen') {
        Object.assign(state, { read: false, ended: false, page: 0 });
        event('chosen', said);
      } else if (details[said.incipit]) event(said.incipit, said);
    };
  };

  const near = new IntersectionObserver((entries) => {
    for (const { isIntersecting, target } of entries) if (isIntersecting) target.start();
  }, { rootMargin: '100% 0px' });

  // The picture has no source: it gives boxes that shrink to what they hold a width,
  // and gives way where there is less.
  const look = sheet(`:host{display:grid;position:relative}:host([hidden]){display:none}
    .room{grid-area:1/1}.size{grid-area:1/1;display:block;width:300px;max-width:100%;height:0}
    iframe,button,.said{position:absolute;inset:0;box-sizing:border-box;width:100%;height:100%;border:0}
    button{padding:0;border:1px solid #d9cfba;background:none;cursor:pointer}button img{width:100%;height:100%;object-fit:contain;object-position:top;background:#efe8d8}
    button span,.said a{position:absolute;inset:auto 0 16px;margin:auto;width:max-content;max-width:90%;padding:8px 16px;border-radius:3px;background:#9c2a24;color:#fffdf8;font:16px sans-serif;text-decoration:none}
    button:focus-visible{outline:3px solid #24467a;outline-offset:-3px}
    .said{display:grid;place-content:center;gap:12px;padding:16px;border:1px solid #d9cfba;background:#fffdf8;color:#23222b;font:16px/1.4 sans-serif;text-align:center}.said a{position:static}`);

  // Collections whose choice stands in the address of the page.
  const choosing = new Set();

  class Placement extends HTMLElement {
    static observedAttributes = ['of', 'at', 'record', 'label', 'height'];

    #viewer = null;
    #token = '';
    #left = null; // where somebody read when the element was taken off
    #state = {};
    #changed = new Set();

    connectedCallback() {
      const root = this.shadowRoot ?? this.attachShadow({ mode: 'open' });
      if (!this.room) {
        root.adoptedStyleSheets = [look];
        this.room = make('div', '', { class: 'room' });
        root.append(this.room, make('img', '', { class: 'size', alt: '' }));
      }
      // The style that is written on an element: a page's policy may keep browsers
      // from reading it there.
      const written = this.getAttribute('style');
      if (written && !this.style.length) this.style.cssText = written;
      // The room is kept by what stands inside until the viewer is there.
      const [, kept] = [...this.children].map((c) => c.getAttribute('style')?.match(/padding-bottom:\s*([^;]+)/)).find(Boolean) ?? [];
      if (kept) this.room.style.paddingBottom = kept;
      const starts = this.getAttribute('starts');
      if (this.#left || starts === 'now') this.start();
      else if (starts === 'press') this.#cover();
      else near.observe(this);
      if (this.getAttribute('choice')) choosing.add(this);
    }

    /** An element that is moved as a whole stays as it is. */
    connectedMoveCallback() {}

    disconnectedCallback() {
      near.unobserve(this);
      choosing.delete(this);
      const { page, grant } = this.#state;
      if (this.#viewer) this.#left = { page, grant };
      this.#end();
    }

    attributeChangedCallback(name, was, is) {
      if (was === is || !this.room || !this.isConnected) return; // before it stands anywhere, all is read there
      // Attributes that are set together count once.
      if (!this.#changed.size) queueMicrotask(() => this.#follow());
      this.#changed.add(name);
    }

    #follow() {
      const changed = new Set(this.#changed);
      this.#changed.clear();
      if (changed.has('label') && this.#viewer) this.#viewer.frame.title = this.name;
      if (changed.has('height')) this.#fit();
      if (!this.#viewer && !this.failed) return;
      if (changed.has('of') || changed.has('record')) {
        this.#token = '';
        this.#again();
      } else if (changed.has('at')) this.go(this.getAttribute('at') ?? '');
    }

    /** Where it is read: an address, a key, or a record of the page's own. */
    get place() {
      const record = this.getAttribute('record');
      const at = readerAt(record ? `/record/${encodeURIComponent(record)}` : this.getAttribute('of') ?? '', this.getAttribute('at'));
      if (at?.key.startsWith('c/')) {
        at.gathers = true;
        if (this.choice) at.query = `?show=${this.choice}`;
      }
      return at;
    }

    /** What is chosen in a collection, where the page's address says it. */
    get choice() {
      const name = this.getAttribute('choice');
      const key = name ? inFragment().get(name) ?? '' : '';
      return /^[a-z0-9]{20}$/.test(key) ? key : '';
    }

    get name() { return this.getAttribute('label') || this.#state.name || this.textContent.trim() || 'Document'; }
    get page() { return this.#state.page ?? 0; }
    get count() { return this.#state.count ?? 0; }

    start() {
      near.unobserve(this);
      if (this.#viewer || !this.isConnected) return;
      this.#clear();
      const at = this.place;
      if (!at && document.readyState !== 'complete') return void addEventListener('load', () => this.start(), { once: true });
        // another copy may know its host
      if (!at) return void this.#failed('address');
      const left = this.#left;
      this.#left = null;
      if (left?.page && !at.gathers) at.hash = `#page=${left.page}`;
      // What a token opened is opened again by what it gave, as long as that holds.
      if (left?.grant) at.base = left.grant;
      this.#state = { grant: left?.grant };
      const tell = telling(this, this.#state);
      this.#viewer = new Viewer(at, this.name, this.shadowRoot, left?.grant ? '' : this.#token, (said) => this.#hear(said, tell));
      if (at.gathers) this.#viewer.gathers = true;
    }

    #hear(said, tell) {
      const { frame } = this.#viewer ?? {};
      if (!frame) return;
      if (said.incipit === 'ready') {
        this.#state.grant = said.grant;
        frame.style.borderRadius = said.corner ? `${said.corner}px` : '';
        frame.style.boxShadow = said.shadow ?? '';
      }
      if (said.tall > 0 && !this.#viewer.gathers) this.#fit(said.tall);
      if (said.incipit === 'chosen') this.#chosen(said.key);
      if (said.reason === 'host-away') return this.#failed('host-away');
      if (said.incipit === 'error' && said.reason === 'not-found' && this.hasAttribute('record')) said.reason = 'record';
      tell(said);
      if (said.incipit === 'ready') frame.title = this.name;
      return undefined;
    }

    /** As tall as what is read. */
    #fit(tall = this.#state.tall) {
      this.#state.tall = tall;
      const follows = this.getAttribute('height') === 'follows' && tall > 0;
      if (!follows) return;
      this.room.style.paddingBottom = '0';
      this.room.style.height = `${Math.ceil(tall)}px`;
      if (this.style.height) this.style.height = 'auto';
    }

    #failed(reason) {
      this.#end();
      this.failed = true;
      if (reason === 'host-away') {
        const again = make('a', '', { href: '#', role: 'button' }, say(this, 3));
        again.addEventListener('click', (event) => {
          event.preventDefault();
          this.start();
          this.#viewer?.frame.focus();
        });
        this.shadowRoot.append(make('div', '', { class: 'said', role: 'status' }, make('span', '', {}, say(this, 2)), again));
      }
      telling(this, {})({ incipit: 'error', reason });
    }

    #clear() {
      this.failed = false;
      for (const e of this.shadowRoot.querySelectorAll('button,.said')) e.remove();
    }

    #end() {
      this.#viewer?.end();
      this.#viewer = null;
    }

    #again() {
      this.#end();
      this.#left = null;
      this.start();
    }

    /** Page 1 as a picture, until somebody presses it. */
    #cover() {
      const at = this.place;
      if (!at || this.#token || at.gathers) return this.start();
      this.#clear();
      const words = this.getAttribute('words') || say(this, 0);
      const picture = make('img', '', { alt: '', loading: 'lazy', src: `${at.base}/cover/1/800` });
      picture.addEventListener('error', () => picture.remove()); // a calm field stays
      const button = make('button', '', { type: 'button', 'aria-label': `${words}: ${this.name}` }, picture, make('span', '', {}, words));
      button.addEventListener('click', () => {
        this.start();
        this.#viewer?.frame.focus();
      });
      return this.shadowRoot.append(button);
    }

    /** What was chosen goes into the page's address, where the page asks for that:
        beside what others keep there, and as one step. */
    #chosen(key) {
      const name = this.getAttribute('choice');
      if (!name || key === this.choice) return;
      const [way, params] = parted();
      if (key) params.set(name, key);
      else params.delete(name);
      const next = `${params}`;
      history.pushState(history.state, '', way || next ? `#${way}${way && next ? '?' : ''}${next}` : location.pathname + location.search);
    }

    choose() { if (this.#viewer?.gathers) this.#viewer.send({ incipit: 'choose', key: this.choice }); }

    /** Shows another document, or the same one again. A guarded one needs a token
        that the page's own server signed. */
    open(of, at = '', token = '') {
      if (this.#viewer && this.getAttribute('of') === of && !token && !this.hasAttribute('record')) return at ? this.go(at) : undefined;
      return this.#show({ of, at }, token);
    }

    /** The same for what is attached to a record of the page's own. */
    openRecord(record, at = '', token = '') { return this.#show({ record, at }, token); }

    #show(attributes, token) {
      for (const name of ['of', 'record', 'at']) {
        if (attributes[name]) this.setAttribute(name, attributes[name]);
        else this.removeAttribute(name);
      }
      this.#changed.clear();
      this.#changed.add(''); // what was just set is being done
      queueMicrotask(() => this.#changed.clear());
      this.#token = token;
      this.#left = null;
      if (this.isConnected) this.#again();
      else this.#left = {};
    }

    /** Opens the same document with another token, where it is read. */
    renew(token) {
      const { page } = this.#state;
      this.#token = token;
      this.#end();
      this.#left = { page };
      this.start();
    }

    /** Goes to a place (RFC 8118): page=3, zoom=120, search=tide. */
    go(place) {
      this.start();
      this.#viewer?.send({ incipit: 'go', place: typeof place === 'number' ? `page=${place}` : String(place).replace(/^#/, '') });
    }

    find(words) { this.go(`search=${encodeURIComponent(words)}`); }

    zoom(percent) { this.go(`zoom=${Number(percent)}`); }

    /** Opens a document over the page. */
    over(of, at, token) { return Placement.over(of, at, token); }

    static over(of, at = '', token = '', title = '') {
      const to = readerAt(of, at);
      if (to) open(to, title || 'Document', token);
      return Boolean(to);
    }

    /** Whether a record has a document that this website may show. */
    static async has(record, of = host) {
      const answer = await fetch(`${of}/record/${encodeURIComponent(record)}/known`, { credentials: 'omit' });
      return answer.ok && (await answer.json()).document;
    }
  }

  /** The fragment of the page's address, parted into what a router keeps there and
      parameters. */
  /** @type {() => [string, URLSearchParams]} */
  const parted = () => {
    const text = location.hash.slice(1);
    const [, way, rest] = text.match(/^([/!][^?]*)\??(.*)$/) ?? [];
    // What is neither a way nor parameters names a place of the page, which moves on.
    return [way ?? '', new URLSearchParams(way === undefined ? (text.includes('=') ? text : '') : rest)];
  };
  const inFragment = () => parted()[1];
  const chooseAll = () => { for (const e of choosing) e.choose(); };
  addEventListener('popstate', chooseAll);
  addEventListener('hashchange', chooseAll);

  customElements.define('incipit-placement', Placement);

  // Opening over the page: a dialog that Escape, its button, a press beside it and
  // the device's way back close. The page behind stays where it is.
  let over = null;
  const shut = () => {
    if (!over) return;
    const { dialog, viewer, before, from } = over;
    over = null;
    viewer.end();
    dialog.close();
    dialog.remove();
    document.documentElement.style.overflow = before;
    from?.focus?.({ preventScroll: true });
  };
  function open(at, title, token = '', from = document.activeElement) {
    shut();
    const close = make('button', 'position:absolute;top:0;inset-inline-end:0;width:44px;height:44px;border:0;background:none;font:24px sans-serif;cursor:pointer;color:inherit', { type: 'button', 'aria-label': `${dataset.close || say(from ?? document.body, 1)}: ${title}`, title: dataset.close || say(from ?? document.body, 1) }, '×');
    const dialog = make('dialog', 'box-sizing:border-box;width:min(1200px,96vw);height:94vh;height:94dvh;max-width:none;max-height:none;padding:44px 0 0;border:1px solid #b9ae97;border-radius:3px;background:#fffdf8;color:#23222b;overscroll-behavior:contain', { 'aria-label': title, tabindex: -1 }, close);
    close.addEventListener('click', shut);
    dialog.addEventListener('cancel', (event) => {
      event.preventDefault();
      shut();
    });
    dialog.addEventListener('click', (event) => { if (event.target === dialog) shut(); });
    document.body.append(dialog);
    const tell = telling(document, {}, { key: at.key.split('/').at(-1) });
    // The focus goes to the dialog: were it on a button, the Enter that opened it would
    // press that. It goes on to the viewer when that is ready.
    const viewer = new Viewer(at, title, dialog, token, (said) => {
      if (said.incipit === 'leave') return void shut();
      if (said.incipit === 'ready' && document.activeElement === dialog) viewer.frame.focus();
      tell(said);
    });
    viewer.frame.style.cssText = 'display:block;width:100%;height:100%;border:0';
    viewer.send({ incipit: 'over' }); // its steps are none of this page's
    over = { dialog, viewer, from, before: document.documentElement.style.overflow };
    document.documentElement.style.overflow = 'hidden';
    dialog.showModal();
    dialog.focus();
  }
  document.addEventListener('click', (event) => {
    const link = /** @type {HTMLAnchorElement} */ (event.composedPath().find((e) => e.matches?.('a[data-incipit=over]')));
    if (!link || event.defaultPrevented || event.button || event.ctrlKey || event.metaKey || event.shiftKey) return;
    const at = readerAt(link.href);
    if (!at) return;
    event.preventDefault();
    open(at, link.title || link.textContent.trim() || link.querySelector('img')?.alt || 'Document', '', link);
  });

  // A link on which somebody wrote "here" gives its place to a viewer that stands
  // beside it. The link itself stays as it was, and out of sight.
  const hides = sheet('a[data-incipit=here]:has(+ incipit-placement[data-link]){display:none!important}');
  const made = new WeakMap();
  const upgrade = (root) => {
    for (const link of root.querySelectorAll?.('a[data-incipit=here]') ?? []) {
      const at = readerAt(link.href);
      if (!at || made.has(link)) continue;
      const within = link.getRootNode();
      if (!within.adoptedStyleSheets.includes(hides)) within.adoptedStyleSheets.push(hides);
      const style = link.getAttribute('style') ?? '';
      const viewer = make('incipit-placement', /height/.test(style) ? style : 'display:block;height:min(80vh,900px)',
        { of: at.base, label: link.textContent.trim(), 'data-link': '', ...(at.hash ? { at: at.hash.slice(1) } : {}) });
      made.set(link, viewer);
      link.after(viewer);
    }
  };
  const begin = () => {
    upgrade(document);
    new MutationObserver((changes) => {
      for (const { addedNodes, removedNodes } of changes) {
        for (const n of addedNodes) if (n.nodeType === 1) upgrade(n.parentElement ?? n);
        for (const n of removedNodes) {
          if (n.nodeType === 1 && !n.isConnected) for (const link of [n, ...n.querySelectorAll('a')]) made.get(link)?.remove();
        }
      }
    }).observe(document, { childList: true, subtree: true });
  };
  begin();
})();
