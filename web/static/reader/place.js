// A place in the document as an address names it (RFC 8118, 3): page, nameddest,
// zoom, view, viewrect, highlight, search. Lengths are points from the top left
// corner of the page. Parameters are parted by & or #; the last of a kind
// holds; what is unknown or out of bounds is passed over.

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
    if (name === 'page' && list?.length === 1 && Number.isInteger(list[0]) && list[0] >= 1 && list[0] <= pages) [out.page] = list;
    if (name === 'zoom' && list && list[0] >= 10 && list[0] <= 640) [out.zoom, out.left, out.top] = list;
    if (name === 'view' && /^Fit(H|V|B|BH|BV)?(,|$)/.test(value)) out.view = value.split(',')[0];
    if (name === 'viewrect' && list?.length === 4 && list[2] > 0 && list[3] > 0) out.viewrect = list;
    if (name === 'highlight' && list?.length === 4) out.highlight = list;
    if (name === 'nameddest' && value) out.nameddest = plain(value);
    if (name === 'search' && value) out.search = plain(value).slice(0, 120);
  }
  return out;
}
