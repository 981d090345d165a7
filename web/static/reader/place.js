// A place in the document as an address names it (RFC 8118): page, zoom, view.
// Parameters are parted by & or #; the last of a kind holds; what is unknown or
// out of bounds is passed over.

/** Reads a fragment: { page, zoom (percent), view ('Fit' or 'FitH') }. */
export function placeOf(hash, pages) {
  const out = {};
  for (const part of hash.replace(/^#/, '').split(/[&#]/)) {
    const [name, value = ''] = part.split('=');
    const number = Number(value.split(',')[0]);
    if (name === 'page' && Number.isInteger(number) && number >= 1 && number <= pages) out.page = number;
    if (name === 'zoom' && number >= 10 && number <= 640) out.zoom = number;
    if (name === 'view' && /^Fit(H)?(,|$)/.test(value)) out.view = value.split(',')[0];
  }
  return out;
}
