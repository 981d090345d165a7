// Small helpers of drawing: an SVG element with attributes and children.
const ns = 'http://www.w3.org/2000/svg';

export function el(name, attributes = {}, ...children) {
  const e = document.createElementNS(ns, name);
  for (const [key, value] of Object.entries(attributes)) e.setAttribute(key, value);
  e.append(...children);
  return e;
}
