import { askJson, sendForm } from './ask.js';

// An export runs as a download of the browser; the page tells how far it is, and stops it.
const every = 400;
let current = null;

export function startExports() {
  document.addEventListener('click', (event) => {
    const link = event.target.closest('[data-export]');
    if (!link || event.ctrlKey || event.metaKey || event.shiftKey) return;
    current = crypto.randomUUID ? crypto.randomUUID() : String(Math.random()).slice(2);
    const url = new URL(link.href, location.href);
    url.searchParams.set('export', current);
    link.href = url.pathname + url.search;
    show('Beginning…', null);
    setTimeout(follow, every, current);
  });
  document.addEventListener('click', (event) => {
    if (event.target.closest('#exporting button')) stop();
  });
}

const box = () => document.getElementById('exporting');

function show(words, share, state = 'running') {
  const at = box();
  if (!at) return;
  at.hidden = false;
  at.dataset.state = state;
  at.querySelector('span').textContent = words;
  const progress = at.querySelector('progress');
  if (share === null || share === undefined) progress.removeAttribute('value');
  else progress.value = share;
  progress.hidden = state !== 'running';
  at.querySelector('button').textContent = state === 'running' ? 'Stop' : 'Close';
}

async function follow(id) {
  if (id !== current) return;
  const address = new URL('/search', location.href);
  address.searchParams.set('handler', 'Exported');
  address.searchParams.set('export', id);
  const told = await askJson(address).catch(() => null);
  if (id !== current) return;
  if (told) show(told.words, told.share, told.state);
  if (!told || told.state === 'running') setTimeout(follow, every, id);
}

async function stop() {
  const at = box();
  if (at.dataset.state !== 'running') {
    at.hidden = true;
    return;
  }
  const address = new URL('/search', location.href);
  address.searchParams.set('handler', 'StopExport');
  address.searchParams.set('export', current);
  const form = document.createElement('form');
  form.append(at.querySelector('input[name=__RequestVerificationToken]').cloneNode());
  await sendForm(address, form);
}
