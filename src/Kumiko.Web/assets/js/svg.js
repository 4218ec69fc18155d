export const svgName = 'http://www.w3.org/2000/svg';

// Makes an element of a picture.
export function element(name, attributes, parent) {
  const made = document.createElementNS(svgName, name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  parent?.append(made);
  return made;
}
