import { askHtml, came as arrived, partOf } from './ask.js';
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
  at = 0;
  tell('');
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
let at = 0;
async function poll() {
  const list = document.getElementById('records');
  if (busy || document.hidden || !list) return;
  busy = true;
  try {
    const top = list.querySelector('[data-record]');
    const html = await askHtml(address('Newer', { after: list.dataset.cursor, id: top?.dataset.record ?? '0.0' }));
    if (html === null || !list.isConnected) throw new Error('nothing came');
    const came = partOf(html).querySelector('[data-arrived]');
    if (came) take(list, came);
    if (performance.now() - stripAt > strips) await renewStrip();
  } catch {
    // The next look asks from the same place on: nothing is missed and nothing comes twice.
    tell('The connection is lost; trying again.');
  } finally {
    busy = false;
  }
}

// How much there is, as far as not all of it can be shown.
function tell(words) {
  const told = document.getElementById('live-told');
  if (!told) return;
  told.textContent = words;
  told.hidden = words === '';
}

const grouped = (number) => Math.round(number).toLocaleString('en').replaceAll(',', '\u2009');

function take(list, came) {
  const now = performance.now();
  const seconds = at ? (now - at) / 1000 : every / 1000;
  at = now;
  list.dataset.cursor = came.dataset.cursor;
  const [count, each] = [Number(came.dataset.count), Number(came.dataset.each)];
  tell(each > 1 ? `1 in ${grouped(each)} is shown; ${grouped(count / seconds)} a second match` : '');
  for (const end of came.querySelectorAll('.end, [data-load-on=reveal]')) if (!end.closest('details')) end.remove();
  const rows = [...came.querySelectorAll('details.record')];
  if (!rows.length) return;
  document.querySelector('.result .nothing')?.remove();
  const scroll = scrollerOf(list) ?? document.scrollingElement;
  const reading = scroll.scrollTop > 4 || list.contains(document.activeElement);
  const put = () => {
    for (const late of came.querySelectorAll('[data-late]')) insert(list, late.querySelector('details.record'));
    list.prepend(...came.querySelector('[data-newer]').childNodes);
  };
  if (reading) keepPlace(list, put);
  else put();
  for (const row of rows) row.classList.add('new');
  const all = list.querySelectorAll('details.record');
  for (let i = mostRows; i < all.length; i++) all[i].remove();
  const fresh = document.getElementById('fresh');
  fresh.hidden = !reading;
  if (reading) {
    fresh.dataset.count = Number(fresh.dataset.count ?? 0) + count;
    fresh.replaceChildren(Object.assign(document.createElement('button'), { textContent: `${fresh.dataset.count} new above` }));
  } else fresh.dataset.count = 0;
  arrived(list);
}

// A record that came late has its place among those that are shown.
function insert(list, row) {
  if (!row) return;
  const idOf = (one) => one.dataset.record.split('.').map(BigInt);
  const [time, sequence] = idOf(row);
  for (const other of list.querySelectorAll(':scope > details.record')) {
    const [t, s] = idOf(other);
    if (t < time || (t === time && s < sequence)) {
      other.before(row);
      return;
    }
  }
  // Older than all, where all are shown.
  list.querySelector(':scope > .end')?.before(row);
}

async function renewStrip() {
  stripAt = performance.now();
  const strip = await askHtml(address('Strip', { live: 'true' }));
  if (strip !== null && !document.querySelector('#strip :focus, .strip-picture .drawing, #strip [open]')) {
    document.getElementById('strip').outerHTML = strip;
    arrived(document.getElementById('strip'));
  }
}
