import { say, boxes } from './make.js';

// A place in the document as an address names it (RFC 8118, 3): page, nameddest,
// zoom, view, viewrect, highlight, search; and the edition that the page is one of, which
// is ours. Lengths are points from the top left corner of the page. Parameters are parted by
// & or #; the last of a kind holds; what is unknown is passed over; a page beyond the document
// is its nearest one, and that is said.

const numbers = (value, most) => {
  const list = value.split(',').map(Number);
  return list.length <= most && list.every(Number.isFinite) ? list : null;
};

const plain = (value) => {
  try {
    return decodeURIComponent(value.replaceAll('+', ' ')).replace(/^"(.*)"$/, '$1').trim();
  } catch {
    return '';
  }
};

/** Reads a fragment. */
export function placeOf(hash, pages) {
  const out = {};
  for (const part of hash.replace(/^#/, '').split(/[&#]/)) {
    const [name, value = ''] = part.split(/=(.*)/s);
    const list = numbers(value, 4);
    if (name === 'page' && value && list?.length === 1 && Number.isInteger(list[0])) {
      [out.asked] = list;
      out.page = Math.min(Math.max(list[0], 1), pages);
      out.beyond = out.page !== list[0];
    }
    if (name === 'edition' && /^[0-9a-f]{16}$/.test(value)) out.edition = value;
    if (name === 'zoom' && list && list[0] >= 10 && list[0] <= 640) [out.zoom, out.left, out.top] = list;
    if (name === 'view' && /^Fit(H|V|B|BH|BV)?(,|$)/.test(value)) {
      const [view, at] = value.split(',');
      out.view = view;
      if (at && Number.isFinite(+at)) out[/H$/.test(view) ? 'top' : 'left'] = +at;
    }
    if (name === 'viewrect' && list?.length === 4 && list[2] > 0 && list[3] > 0) out.viewrect = list;
    if (name === 'highlight' && list?.length === 4) out.highlight = list;
    if (name === 'nameddest' && value) out.nameddest = plain(value);
    if (name === 'search' && value) out.search = plain(value).slice(0, 120);
  }
  return out;
}

/** Goes where an address leads, and looks as it says. */
export async function follow(reader, place) {
  const { zoom, near } = reader;
  // A page of another edition is where its content went.
  if (place.edition && place.edition !== reader.mark && place.asked > 0) {
    const there = await fetch(`${reader.base}/edition?of=${place.edition}&page=${place.asked}`).then((a) => a.json()).catch(() => ({}));
    if (there.page && there.mark === reader.mark) Object.assign(place, { page: there.page, beyond: false });
  }
  if (place.beyond) reader.notice('beyond', say('bounds', { n: reader.sheets.length }));
  if (place.nameddest) {
    const answer = await near.ask(`place/${reader.mark}?name=${encodeURIComponent(place.nameddest)}`).catch(() => null);
    const there = answer?.ok ? await answer.json() : {};
    if (there.page) reader.arrive({ page: there.page, top: there.y, left: there.x, zoom: there.zoom });
    else reader.notice('beyond', say('beyond_none'));
  }
  if (place.zoom) zoom.at(place.zoom, null, true);
  else if (place.view) zoom.fit(/V$/.test(place.view) ? 'height' : /H$/.test(place.view) ? 'width' : 'page', true);
  if (place.page) reader.go(place.page, false);
  if (place.viewrect) {
    const [x, y, w, h] = place.viewrect;
    const room = reader.pages.parentElement;
    zoom.at(Math.min(Math.max(Math.min(room.clientWidth / w, room.clientHeight / h) * 75, 10), 640), null, true);
    reader.arrive({ page: reader.page, top: y, left: x });
  } else if (place.top !== undefined || place.left) reader.arrive({ page: reader.page, top: place.top, left: place.left });
  if (place.highlight) {
    const [l, r, t, b] = place.highlight;
    const box = { x: Math.min(l, r), y: Math.min(t, b), w: Math.abs(r - l), h: Math.abs(b - t) };
    boxes(reader.sheets[reader.page - 1], 'hits lit', [box]);
    reader.show(reader.page, box);
  }
  if (place.search && document.querySelector('[data-do=find]')) (await reader.side.show('find'))?.look(place.search);
}

/** Shows the newer edition, at what has become of the page. */
export async function renew({ base, mark, page }) {
  const there = await fetch(`${base}/edition?of=${mark}&page=${page}`, { cache: 'no-store' }).then((a) => a.json()).catch(() => ({}));
  history.replaceState(null, '', `#page=${there.page ?? page}`);
  location.reload();
}
