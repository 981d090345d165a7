// What the reader says, in the language of the page.
const words = JSON.parse(document.getElementById('words').textContent);

/** Gives a message with its places, {n}, filled. */
export const say = (name, places = {}) => words[name].replace(/\{(\w+)\}/g, (_, place) => places[place]);
