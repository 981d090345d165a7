import { say, press } from './make.js';

// A browser that shows no images leaves the pages empty, and tells nobody. One of
// ours that is here already is tried: where even that does not come, it is said.

const most = 2000; // ms that an image which is here may take

export async function images(reader, readText) {
  const address = document.querySelector('link[rel=icon]').href;
  if (!(await fetch(address).catch(() => null))?.ok) return; // nothing comes
  const tried = new Image();
  const shown = await new Promise((done) => {
    tried.onload = tried.onerror = () => done(true);
    setTimeout(() => done(false), most);
    tried.src = address;
  });
  if (!shown) reader.notice('images', say('images_off'), ...readText ? [press('plain', say('text'), readText)] : []);
}
