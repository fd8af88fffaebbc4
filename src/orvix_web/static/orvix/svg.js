// Elements of SVG.
const SVG = "http://www.w3.org/2000/svg";

// One with its attributes.
export function svg(tag, told = {}) {
  const one = document.createElementNS(SVG, tag);
  for (const [name, value] of Object.entries(told)) one.setAttribute(name, value);
  return one;
}
