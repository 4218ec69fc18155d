import { askHtmlAndHead, askHtml, came, partOf } from './ask.js';
import { keepPlace, scrollerOf } from './loading.js';

// New records come in above by themselves while live is on, and never move what is being read.
const every = 2000,
  strips = 10000,
  mostRows = 1500;
let timer = null;
let stripAt = 0;

const button = () => document.querySelector('[data-live-switch]');

export function isLive() {
  return timer !== null;
}

export function switchLive(on = timer === null) {
  clearInterval(timer);
  timer = on && document.getElementById('records')?.dataset.newest ? setInterval(poll, every) : null;
  stripAt = performance.now();
  showLive();
  if (timer) poll();
}

export function showLive() {
  if (timer && !button()) {
    clearInterval(timer);
    timer = null;
  }
  button()?.setAttribute('aria-pressed', String(timer !== null));
}

export function startLive() {
  document.addEventListener('click', (event) => {
    if (event.target.closest('[data-live-switch]')) switchLive();
  });
  document.addEventListener('click', (event) => {
    if (event.target.closest('#fresh button'))
      (scrollerOf(document.getElementById('records')) ?? document.scrollingElement).scrollTop = 0;
  });
}

function address(handler, more = {}) {
  const url = new URL(location.href);
  url.pathname = '/search';
  url.searchParams.set('handler', handler);
  for (const [name, value] of Object.entries(more)) url.searchParams.set(name, value);
  return url;
}

let busy = false;
async function poll() {
  const list = document.getElementById('records');
  if (busy || document.hidden || !list) return;
  busy = true;
  try {
    const newest = list.querySelector('[data-record]');
    const newer = await askHtmlAndHead(address('Newer', { id: newest?.dataset.record ?? '0.0' }));
    if (!newer || !list.isConnected) return;
    const content = partOf(newer.html);
    const rows = [...content.querySelectorAll('details.record')];
    if (rows.length) {
      for (const end of content.querySelectorAll('.end, [data-load-on=reveal]:not(details [data-load])')) end.remove();
      const skipped = +(newer.head.get('Kumiko-Skipped') ?? 0);
      if (skipped > 0)
        content.append(
          Object.assign(document.createElement('p'), {
            className: 'skipped',
            textContent: `${skipped.toLocaleString('en').replaceAll(',', '\u2009')} more came in between; run the query again to see them`,
          }),
        );
      const scroll = scrollerOf(list) ?? document.scrollingElement;
      const reading = scroll.scrollTop > 4 || list.contains(document.activeElement);
      const put = () => list.prepend(content);
      if (reading) keepPlace(list, put);
      else put();
      for (const row of rows) row.classList.add('new');
      const all = list.querySelectorAll('details.record');
      for (let i = mostRows; i < all.length; i++) all[i].remove();
      const fresh = document.getElementById('fresh');
      fresh.hidden = !reading;
      if (reading) {
        fresh.dataset.count = +(fresh.dataset.count ?? 0) + rows.length + skipped;
        fresh.replaceChildren(
          Object.assign(document.createElement('button'), { textContent: `${fresh.dataset.count} new above` }),
        );
      } else fresh.dataset.count = 0;
      came(list);
    }
    if (performance.now() - stripAt > strips) {
      stripAt = performance.now();
      const strip = await askHtml(address('Strip', { live: 'true' }));
      if (strip !== null && !document.querySelector('#strip :focus, .strip-picture .drawing, #strip [open]')) {
        document.getElementById('strip').outerHTML = strip;
        came(document.getElementById('strip'));
      }
    }
  } finally {
    busy = false;
  }
}
