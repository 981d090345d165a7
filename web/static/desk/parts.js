// Sending a file in parts (tus 1.0), each small enough for a proxy's usual limit.
import { cutOff } from './cutoff.js';

const part = 512 * 1024; // a proxy's usual limit is 1 MB

export const token = () => document.querySelector('meta[name=csrf]')?.getAttribute('content') ?? '';

/** The protocol's library, when the first file is sent. */
let library;
const tus = async () => {
  library ??= import('../vendor/tus/tus.min.js');
  await library;
  return /** @type {any} */ (window).tus;
};

/** What went wrong with a part, in words, what to do next, and whether it goes on by itself. */
function troubleOf(error) {
  const answer = error.originalResponse;
  const status = answer?.getStatus() ?? 0;
  let said = '';
  try { said = JSON.parse(answer?.getBody() ?? '').message; } catch { /* not ours */ }
  if (status === 0 || status >= 502 && status <= 504) {
    return { status, again: true, said: 'The server cannot be reached. It goes on by itself when it can.' };
  }
  if (status === 401 || status === 403) return { status, again: false, said: 'You are no longer signed in.', next: 'Sign in in another tab, then resume.' };
  if (status === 404 || status === 410) return { status, again: false, anew: true, said: 'The server knows nothing of it any more.', next: 'Resume to send it from the start.' };
  const proxy = cutOff(status, part, 'What has arrived is kept.');
  return { status, again: status === 409 || status === 423 || status === 500, refused: status === 422, said: said || proxy || `The server answered with status ${status}.`,
    next: said || proxy ? '' : 'Resume to try again.' };
}

/** Sends what has not arrived of a file; gives null once it has, or what is in the way. url is
    where an earlier try began to send it. located(url) is told where that is, and says by false
    that it is no longer wanted; accepted(bytes) how much the server has kept; started() how to
    stop it.
    @returns {Promise<any>} */
export async function sendParts(file, url, { located, accepted, started }) {
  const { Upload } = await tus();
  return new Promise((resolve) => {
    const end = (gone) => {
      sender.abort(gone).catch(() => {});
      resolve({ stopped: true });
    };
    const sender = new Upload(file, {
      endpoint: '/uploads/', uploadUrl: url || null, chunkSize: part, retryDelays: null, storeFingerprintForResuming: false,
      removeFingerprintOnSuccess: false, metadata: { filename: file.name }, headers: { 'X-CSRF-Token': token(), Accept: 'application/json' },
      onUploadUrlAvailable: () => { if (located(new URL(sender.url, location.href).pathname) === false) end(true); },
      // What the server has kept, not what has left this browser.
      onChunkComplete: (_, all) => accepted(all),
      onSuccess: () => resolve(null),
      onError: (error) => resolve(troubleOf(error)),
    });
    started(end);
    sender.start();
  });
}

/** Lets go of what has arrived of a file; what cannot be told now goes by itself after a while. */
export const dropParts = (url) => fetch(url, { method: 'DELETE', headers: { 'X-CSRF-Token': token(), 'Tus-Resumable': '1.0.0' } }).catch(() => {});
