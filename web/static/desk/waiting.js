// Files that are on their way, kept by the browser (IndexedDB) so that they go on after
// the screen was loaded again. Where it keeps nothing, they have to be chosen again.

const database = () => new Promise((resolve, reject) => {
  const request = indexedDB.open('incipit-files', 1);
  request.onupgradeneeded = () => request.result.createObjectStore('files', { keyPath: 'id' });
  request.onsuccess = () => resolve(request.result);
  request.onerror = () => reject(request.error);
});

async function within(mode, ask) {
  const db = await database();
  try {
    return await new Promise((resolve, reject) => {
      const t = db.transaction('files', mode);
      const request = ask(t.objectStore('files'));
      t.oncomplete = () => resolve(request.result);
      t.onabort = () => reject(t.error);
    });
  } finally { db.close(); }
}

/** Whoever signs in here after somebody else does not go on with their files. */
export const who = () => document.querySelector('.disc')?.getAttribute('title') ?? '';

/** Keeps a file, or what is known of it. */
export const keepFile = (entry) => within('readwrite', (s) => s.put({ ...entry, who: who() })).catch(() => {});
export const dropFile = (id) => within('readwrite', (s) => s.delete(id)).catch(() => {});
/** @returns {Promise<any[]>} what somebody's files were when the screen was left, the first first */
export const keptFiles = () => within('readonly', (s) => s.getAll())
  .then((all) => all.filter((e) => e.who === who()).sort((a, b) => a.at - b.at)).catch(() => []);
