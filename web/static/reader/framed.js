import { say } from './make.js';
import { follow, placeOf } from './address.js';

// The web page around: what it is told, and what it may ask. Whatever it asks is asked
// of the server like anything that a reader does.

/** How tall the frame is when the page that is read shows whole. */
const tall = ({ pages, sheets, page }) => document.body.offsetHeight - pages.clientHeight + sheets[page - 1].offsetHeight + 24;

export function framed(reader, told) {
  const { dataset } = document.body;
  const { base, sheets } = reader;
  addEventListener('message', ({ source, data }) => {
    if (source !== parent || typeof data?.incipit !== 'string') return;
    if (data.incipit === 'go' && typeof data.place === 'string') follow(reader, placeOf(data.place, sheets.length));
    if (data.incipit === 'over') reader.alone = true; // what is over a page makes no steps of its history
  });
  told('ready', {
    pages: sheets.length, page: reader.page, label: reader.labelOf(reader.page), name: document.title, tall: tall(reader),
    corner: Number(dataset.corner), shadow: dataset.shadow, ...(base.includes('~') ? { grant: location.origin + base } : {}),
  });
  new ResizeObserver(() => told('tall', { tall: tall(reader) })).observe(reader.pages);
  reader.resized.add(() => told('tall', { tall: tall(reader) }));
  // A token ends: the page is asked for another one in time, and readers are told when
  // none came.
  const left = Number(dataset.ends);
  if (left) {
    const before = Math.min(60, left / 5);
    setTimeout(() => told('token', { seconds: Math.round(before) }), (left - before) * 1000);
    setTimeout(() => {
      told('error', { reason: 'token-ended' });
      reader.notice('ended', say('ended'));
    }, left * 1000);
  }
  // Where it stands: the page around it, and how wide and tall it is here. Nothing of
  // who reads goes with it.
  if (dataset.stood) navigator.sendBeacon(`${base}/stood?${dataset.stood}`, `${innerWidth}x${innerHeight} ${document.referrer}`);
}
