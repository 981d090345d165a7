// Requests of the desk's scripts to its own server.

import { request as fetched } from './session.js';

const token = () => document.querySelector('meta[name=csrf]')?.content ?? '';

/** A request failed; message is a sentence for the editor. */
export class Refused extends Error {
  constructor(status, body) {
    super(body.message ?? 'The server did not answer as expected. Nothing was lost; please try again.');
    this.status = status;
    this.problems = body.problems ?? {};
    this.locked = Boolean(body.locked);
    this.said = body;
  }
}

/** Asks and gives the answer's JSON; throws Refused.
    @returns {Promise<any>} */
export async function ask(method, address, body) {
  let answer;
  try {
    const sent = body && JSON.stringify(body);
    answer = await fetched(address, {
      method,
      // What is being kept goes on when the screen is left; browsers bound that to
      // 64 KB in all (Fetch, 5.6).
      keepalive: method !== 'GET' && (sent?.length ?? 0) < 8000,
      headers: { Accept: 'application/json', 'X-CSRF-Token': token(), ...(body && { 'Content-Type': 'application/json' }) },
      body: sent,
    });
  } catch {
    throw new Refused(0, { message: 'The server cannot be reached. Your last change may not have been kept; everything before it was. Look at it again when the connection is back.' });
  }
  const text = await answer.text();
  let said = {};
  try { said = text ? JSON.parse(text) : {}; } catch { /* not ours: the status tells enough */ }
  if (!answer.ok) throw new Refused(answer.status, said);
  return said;
}

/** Sends a form with a file, telling progress in percent. */
export function send(address, form, { progress, started }) {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open('POST', address);
    request.setRequestHeader('Accept', 'application/json');
    request.setRequestHeader('X-CSRF-Token', token());
    request.upload.addEventListener('progress', (e) => e.lengthComputable && progress((e.loaded / e.total) * 100));
    request.addEventListener('load', () => {
      let said = {};
      try { said = JSON.parse(request.responseText); } catch { /* as above */ }
      if (request.status >= 200 && request.status < 300) resolve(said);
      else reject(new Refused(request.status, said));
    });
    request.addEventListener('error', () => reject(new Refused(0,
      { message: 'The connection broke before the server answered. Look whether the file is there before you add it again.' })));
    request.addEventListener('abort', () => reject(new Refused(0, { message: 'Cancelled. Nothing was kept.' })));
    started(request);
    request.send(form);
  });
}

/** Waits for so many milliseconds. */
export const pause = (ms) => new Promise((resolve) => { setTimeout(resolve, ms); });
