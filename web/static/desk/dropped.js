// What was dropped: files, and those within folders.

const most = 2000; // library.MostUploads

const entriesOf = (reader) => new Promise((resolve, reject) => { reader.readEntries(resolve, reject); });
const fileOf = (entry) => new Promise((resolve, reject) => { entry.file(resolve, reject); });

async function walk(entry, found) {
  if (found.files.length >= most) return;
  if (entry.isFile) {
    // In a folder there is more than was meant.
    if (/\.(pdf|od[tsp]|docx|xlsx|pptx|rtf)$/i.test(entry.name)) found.files.push(await fileOf(entry));
    else found.left++;
    return;
  }
  const reader = entry.createReader();
  for (let part = await entriesOf(reader); part.length; part = await entriesOf(reader)) {
    for (const e of part) await walk(e, found);
  }
}

/** Gives the files of a drop, and how many in folders are no PDFs.
    @param {DataTransfer} data */
export async function dropped(data) {
  const entries = [...data.items].map((i) => i.webkitGetAsEntry?.()).filter(Boolean);
  const found = { files: /** @type {File[]} */ ([]), left: 0 };
  if (!entries.some((e) => e.isDirectory)) return { files: [...data.files].slice(0, most), left: 0 };
  for (const e of entries) {
    if (e.isFile) found.files.push(await fileOf(e));
    else await walk(e, found);
  }
  return found;
}
