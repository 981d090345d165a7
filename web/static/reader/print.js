// The print view: waits until every page has its image, then prints, and tells
// the reader that opened it how it went.
const images = [...document.images];
let failed = 0;
await Promise.all(images.map((img) => img.decode().catch(() => { failed++; })));
parent.postMessage({ printed: failed === 0, failed }, location.origin);
if (!failed) window.print();
