// Makes elements: make('a', { href: '#', class: 'x' }, 'text', child).
export function make(name, attributes = {}, ...children) {
  const e = document.createElement(name);
  for (const [key, value] of Object.entries(attributes)) {
    if (key.startsWith('on')) e.addEventListener(key.slice(2), value);
    else if (value !== undefined && value !== false) e.setAttribute(key, value === true ? '' : value);
  }
  e.append(...children);
  return e;
}

const ns = 'http://www.w3.org/2000/svg';

/** Makes an SVG element. */
export function draw(name, attributes = {}, ...children) {
  const e = document.createElementNS(ns, name);
  for (const [key, value] of Object.entries(attributes)) e.setAttribute(key, value);
  e.append(...children);
  return e;
}
