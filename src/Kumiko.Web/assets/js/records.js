import { go } from './go.js';

// Small acts of the list of records: marks, links to copy.
export function startRecords() {
  const form = document.querySelector('[data-mark-form]:not([data-ready])');
  if (form) {
    form.dataset.ready = 'true';
    form.addEventListener('submit', (event) => {
      event.preventDefault();
      const text = form.elements.text.value.trim();
      if (!text) return;
      const url = new URL(location.href);
      const marks = (url.searchParams.get('marks') ?? '').split('\t').filter((m) => m && m.slice(1) !== text);
      url.searchParams.set('marks', [...marks, form.dataset.next + text].join('\t'));
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
