import htmx from 'htmx.org/dist/htmx.esm.js';
import { startEditors, showQuery } from './editor.js';
import { startStrips } from './strip.js';
import { startCharts } from './chart.js';
import { startLoading } from './loading.js';
import { startKeys } from './keys.js';
import { startTrial } from './trial.js';

window.htmx = htmx;

// The server draws for this window and names times in this zone.
function tellServer() {
  const keep = '; path=/; max-age=31536000; samesite=lax';
  document.cookie = 'zone=' + encodeURIComponent(Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC') + keep;
  document.cookie = 'width=' + document.documentElement.clientWidth + keep;
}

function start() {
  startEditors();
  startStrips();
  startCharts();
  startLoading();
  startTrial();
  showQuery();
}

tellServer();
startKeys();
start();
document.addEventListener('htmx:after:swap', start);
document.addEventListener('kumiko:loaded', start);
// The head of the result knows only what its page knew; the counts that come later know more.
document.addEventListener('kumiko:loaded', () => {
  const told = document.querySelector('#counts [data-records]');
  const total = document.getElementById('total');
  if (told && total) total.textContent = told.dataset.records;
});

// Menus close when one looks elsewhere.
document.addEventListener('click', event => {
  for (const menu of document.querySelectorAll('details[data-menu][open]'))
    if (!menu.contains(event.target)) menu.open = false;
});

// The pictures are drawn anew for a window of another width.
let width = document.documentElement.clientWidth;
let resized;
window.addEventListener('resize', () => {
  clearTimeout(resized);
  resized = setTimeout(() => {
    if (Math.abs(document.documentElement.clientWidth - width) < 24) return;
    width = document.documentElement.clientWidth;
    tellServer();
    if (document.getElementById('view')) go(location.pathname + location.search, true);
    else if (document.getElementById('strip') && !document.querySelector('form[data-trial]')) location.reload();
  }, 300);
});

// Shows another view of this page: the answer and the strip change, the editor stays.
export function go(url, replace = false) {
  if (!document.getElementById('view')) { location.assign(url); return; }
  htmx.ajax('GET', url, {
    source: '#page', target: '#view', swap: 'outerHTML', select: '#view', selectOOB: '#counts,#parameters,#strip,#state,#tell',
    push: replace ? undefined : 'true',
  });
}

window.kumikoGo = go;
