import { askJson, latest } from './ask.js';

// Pointing at a field shows where it lies in the records in view.
const wait = 160;
const ask = latest();
let timer = null;
let pointed = null;

export function startPlaces() {
  for (const kind of ['mouseover', 'focusin'])
    document.addEventListener(kind, (event) => {
      const field = event.target.closest?.('.fields .field[data-field]');
      if (field === pointed) return;
      clearTimeout(timer);
      pointed = field;
      clear();
      if (field) timer = setTimeout(show, wait, field);
    });
}

function clear() {
  globalThis.CSS?.highlights?.delete('field-place');
  const told = document.getElementById('place-told');
  if (told) told.hidden = true;
}

async function show(field) {
  const list = document.getElementById('records');
  const told = document.getElementById('place-told');
  const fragment = document.getElementById('state')?.dataset.fragment;
  if (!list || !told || !fragment) return;
  const pane = (list.closest('.result') ?? document.documentElement).getBoundingClientRect();
  const seen = [...list.querySelectorAll(':scope > details.record')].filter((row) => {
    const box = row.getBoundingClientRect();
    return box.bottom > pane.top && box.top < Math.min(pane.bottom, innerHeight);
  });
  const url = new URL(fragment, location.href);
  url.searchParams.set('handler', 'Places');
  url.searchParams.set('name', field.dataset.field);
  url.searchParams.set('ids', seen.map((row) => row.dataset.record).join(','));
  const answer = await askJson(url, ask()).catch(() => null);
  if (!answer || pointed !== field) return;
  told.textContent = answer.words;
  told.hidden = answer.words === '';
  if (!globalThis.Highlight || !CSS.highlights) return;
  const ranges = answer.places.map(({ id, start, length }) => {
    const row = seen.find((r) => r.dataset.record === id);
    return row && rangeOf(row.querySelector(':scope > summary .body'), start, length);
  });
  CSS.highlights.set('field-place', new Highlight(...ranges.filter((r) => r)));
}

// A stretch of the body's text, over the pieces that it is made of; chips before it are no part of it.
function rangeOf(body, start, length) {
  if (!body) return null;
  const range = new Range();
  const walker = document.createTreeWalker(body, NodeFilter.SHOW_TEXT, (node) =>
    node.parentElement.closest('.chip') ? NodeFilter.FILTER_REJECT : NodeFilter.FILTER_ACCEPT,
  );
  let at = 0;
  let begun = false;
  for (let node = walker.nextNode(); node; node = walker.nextNode()) {
    const end = at + node.length;
    if (!begun && start < end) {
      range.setStart(node, start - at);
      begun = true;
    }
    if (begun && start + length <= end) {
      range.setEnd(node, start + length - at);
      return range;
    }
    at = end;
  }
  return null;
}
