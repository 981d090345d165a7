// The print view: waits until every page has its image, then prints, and tells
// the reader that opened it how far it is and how it went.
const images = [...document.images];
let done = 0;
let failed = 0;
const tell = (message) => parent.postMessage(message, location.origin);
await Promise.all(images.map((img) => img.decode().catch(() => { failed++; }).finally(() => {
  done++;
  tell({ done, of: images.length });
})));
tell({ printed: failed === 0, failed });
if (!failed) window.print();
