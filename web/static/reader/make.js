// Makes what the reader shows: words in the language of the page, and elements.

const words = JSON.parse(document.getElementById('words').textContent);
const { numbers } = document.body.dataset;
const figures = new Intl.NumberFormat(numbers, { useGrouping: false, maximumFractionDigits: 1 });

/** Writes a number with the language's digits. */
export const num = (n) => figures.format(n);

/** Reads a number in any digits; NaN where there is none. */
export const read = (text) => Number(text.trim().normalize('NFKC').replace(/[٠-٩]/g, (d) => d.charCodeAt(0) - 0x660).replace(/[۰-۹]/g,
  (d) => d.charCodeAt(0) - 0x6F0) || NaN);

/** Gives a message with its places, {n}, filled. */
export const say = (name, places = {}) => words[name].replace(/\{(\w+)\}/g,
  (_, place) => (typeof places[place] === 'number' ? num(places[place]) : places[place]));

/** Writes bytes and dates for people. */
export const bytes = (n) => {
  const [unit, by] = n >= 1e6 ? ['megabyte', 1e6] : ['kilobyte', 1e3];
  return new Intl.NumberFormat(numbers, { style: 'unit', unit, maximumFractionDigits: n >= 1e7 || by === 1e3 ? 0 : 1 }).format(n / by);
};
const own = navigator.languages.find((l) => l.split('-')[0] === numbers.split('-')[0]) ?? numbers;
const { numberingSystem } = new Intl.NumberFormat(numbers).resolvedOptions();
export const day = (text) => new Intl.DateTimeFormat([own, numbers], { dateStyle: 'long', numberingSystem }).format(new Date(text));

const fill = (e, attributes, children) => {
  for (const [key, value] of Object.entries(attributes)) {
    if (key.startsWith('on')) e.addEventListener(key.slice(2), value);
    else if (value !== undefined && value !== false) e.setAttribute(key, value === true ? '' : value);
  }
  e.append(...children);
  return e;
};

/** Makes an element: make('a', { href: '#', class: 'x' }, 'text', child). */
export const make = (name, attributes = {}, ...children) => fill(document.createElement(name), attributes, children);

/** Makes a button with words on it, that does a deed. */
export const press = (kind, label, deed, more) => make('button', { type: 'button', class: kind, onclick: deed, ...more },
  ...[label].flat());

/** Makes an SVG element. */
const draw = (name, attributes, ...children) => fill(document.createElementNS('http://www.w3.org/2000/svg', name), attributes, children);

/** The button that shuts what it stands in. */
export const shut = (deed) => press('tool shut', '×', deed, { 'aria-label': say('close'), title: say('close') });

/** Lets the browser draw and answer before work goes on. It draws nothing of a frame
    that is far from what is seen. */
export const pause = () => new Promise((done) => {
  const undrawn = setTimeout(done, 300);
  requestAnimationFrame(() => {
    clearTimeout(undrawn);
    setTimeout(done);
  });
});

/** Draws boxes, in points, over a page. */
export function boxes(sheet, kind, rects) {
  const style = getComputedStyle(sheet);
  const size = (name) => Number(style.getPropertyValue(`${name}0`) || style.getPropertyValue(name)) / Number(style.getPropertyValue('--f'));
  sheet.append(draw('svg', { class: kind, viewBox: `0 0 ${size('--w')} ${size('--h')}`, preserveAspectRatio: 'none', 'aria-hidden': true },
    ...rects.map(({ x, y, w, h, ...more }) => draw('rect', { x, y, width: w, height: h, ...more }))));
}
