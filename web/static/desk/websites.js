// Websites that may show something, as a field lists them: with commas between. Any
// white or mark between them is taken.

export const listed = (websites) => websites.join(', ');

export const read = (text) => text.split(/[\s,;]+/).filter(Boolean);
