// What the reader says, in the language of the page.
const words = JSON.parse(document.getElementById('words').textContent);
const { numbers } = document.body.dataset;
const figures = new Intl.NumberFormat(numbers, { useGrouping: false, maximumFractionDigits: 1 });

/** Writes a number with the language's digits. */
export const num = (n) => figures.format(n);

/** Reads a number in any digits; NaN where there is none. */
export const read = (text) => Number(text.trim().normalize('NFKC').replace(/[٠-٩]/g, (d) => d.charCodeAt(0) - 0x660).replace(/[۰-۹]/g, (d) => d.charCodeAt(0) - 0x6F0) || NaN);

/** Gives a message with its places, {n}, filled. */
export const say = (name, places = {}) => words[name].replace(/\{(\w+)\}/g, (_, place) => (typeof places[place] === 'number' ? num(places[place]) : places[place]));

/** Writes bytes and dates for people. */
export const bytes = (n) => {
  const [unit, by] = n >= 1e6 ? ['megabyte', 1e6] : ['kilobyte', 1e3];
  return new Intl.NumberFormat(numbers, { style: 'unit', unit, maximumFractionDigits: n >= 1e7 || by === 1e3 ? 0 : 1 }).format(n / by);
};
const own = navigator.languages.find((l) => l.split('-')[0] === numbers.split('-')[0]) ?? numbers;
export const day = (text) => new Intl.DateTimeFormat([own, numbers], { dateStyle: 'long' }).format(new Date(text));
