import { askJson } from './ask.js';
import { go } from './go.js';

// Small acts of the list of records: marks, links to copy.
export function startRecords() {
  const form = document.querySelector('[data-mark-form]:not([data-ready])');
  if (form) {
    form.dataset.ready = 'true';
    form.addEventListener('submit', (event) => {
      event.preventDefault();
      const texts = form.elements.text.value
        .split(',')
        .map((t) => t.trim())
        .filter((t) => t);
      if (!texts.length) return;
      const url = new URL(location.href);
      const marks = (url.searchParams.get('marks') ?? '').split('\t').filter((m) => m && !texts.includes(m.slice(1)));
      // Each gets the next colour.
      const colours = Number(form.dataset.colours);
      texts.forEach((text, i) => marks.push(((Number(form.dataset.next) + i) % colours) + text));
      url.searchParams.set('marks', marks.join('\t'));
      go(url.pathname + url.search);
    });
  }
  const here = document.querySelector('[data-this]:not([data-ready])');
  if (here) {
    here.dataset.ready = 'true';
    here.scrollIntoView({ block: 'center' });
    here.querySelector('summary').focus({ preventScroll: true });
  }
  // A link leads to its record, not to the top of the list.
  const open = document.querySelector('.records > details.record[open]:not([data-seen])');
  if (open && new URL(location.href).searchParams.has('at')) {
    open.dataset.seen = 'true';
    open.scrollIntoView({ block: 'center' });
  }
  for (const link of document.querySelectorAll('[data-copy-link]:not([data-ready])')) {
    link.dataset.ready = 'true';
    link.addEventListener('click', async (event) => {
      if (!navigator.clipboard) return;
      event.preventDefault();
      event.stopPropagation();
      await navigator.clipboard.writeText(new URL(link.getAttribute('href'), location.href).href);
      link.textContent = 'Copied';
    });
  }
}

// To the next record, or the one before, that holds a mark; beyond what is shown the server tells which it is.
export function startMarks() {
  document.addEventListener('click', async (event) => {
    const button = event.target.closest('[data-mark-step]');
    if (!button) return;
    const back = button.dataset.markStep === 'back';
    const rows = [...document.querySelectorAll('#records > details.record')];
    const here = document.activeElement?.closest('details.record') ?? document.querySelector('details.record[data-stepped]');
    const at = rows.indexOf(here);
    const colour = '.body mark.colour-' + button.dataset.colour;
    const text = button.dataset.text.toLowerCase();
    const holds = (row) => [...row.querySelectorAll(colour)].some((m) => m.textContent.toLowerCase().includes(text));
    const next = back ? rows.slice(0, Math.max(0, at)).reverse().find(holds) : rows.slice(at + 1).find(holds);
    if (next) {
      step(next);
      return;
    }
    const edge = back ? rows[0] : rows.at(-1);
    const url = new URL(button.dataset.url, location.href);
    url.searchParams.set('back', String(back));
    if (edge) url.searchParams.set('id', edge.dataset.record);
    const told = await askJson(url);
    const state = document.getElementById('mark-told');
    if (told?.url) go(told.url);
    else if (state) state.textContent = back ? 'none above' : 'none below';
  });
}

function step(row) {
  for (const old of document.querySelectorAll('[data-stepped]')) delete old.dataset.stepped;
  row.dataset.stepped = 'true';
  const state = document.getElementById('mark-told');
  if (state) state.textContent = '';
  row.querySelector('summary').focus({ preventScroll: true });
  row.scrollIntoView({ block: 'center' });
}
