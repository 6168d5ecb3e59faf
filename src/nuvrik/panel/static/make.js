// Elements, made of tags and texts only: nothing that comes from elsewhere is ever read as markup.

/** An element with attributes and children; a text child is text, whatever is in it. Between children stands a
 *  space: where nothing lays them out, and for a screen reader, they are words apart. */
export function make(tag, given = {}, ...children) {
  const element = document.createElement(tag);
  for (const [name, value] of Object.entries(given)) {
    if (name.startsWith("on")) element.addEventListener(name.slice(2), value);
    else if (value === true) element.setAttribute(name, "");
    else if (value !== false && value !== null) element.setAttribute(name, value);
  }
  element.append(...children.flatMap((child, at) => (at ? [" ", child] : [child])));
  return element;
}

/** Write a text, if it is another than before: what has not changed costs nothing. */
export function write(element, text) {
  if (element.written === text) return;
  element.written = text;
  element.textContent = text;
}

/** Set an attribute, if it is another than before. */
export function mark(element, name, value) {
  const known = (element.marks ??= {});
  if (known[name] === value) return;
  known[name] = value;
  element.setAttribute(name, value);
}

/** Set a property of style, if it is another than before. */
export function place(element, name, value) {
  const known = (element.places ??= {});
  if (known[name] === value) return;
  known[name] = value;
  element.style.setProperty(name, value);
}

/** A name as people read it. */
export function words(name) {
  return name.replaceAll("_", " ");
}

/** A reason as a sentence. */
export function sentence(text) {
  const said = text.replaceAll("_", " ");
  return said.charAt(0).toUpperCase() + said.slice(1) + (/[.!?]$/.test(text) ? "" : ".");
}
