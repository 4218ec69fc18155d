import htmx from 'htmx.org/dist/htmx.esm.js';
import { startEditors, showQuery } from './editor.js';
import { startStrips } from './strip.js';
import { startCharts } from './chart.js';
import { go } from './go.js';
import { startLoading } from './loading.js';
import { startMenus } from './menus.js';
import { startFields } from './fields.js';
import { startLive, showLive } from './live.js';
import { startFind } from './find.js';
import { startRecords, startMarks } from './records.js';
import { startGather } from './gather.js';
import { startGrid, startCopyingCells } from './grid.js';
import { startExports } from './export.js';
import { startPlaces } from './places.js';
import { startKeys } from './keys.js';
import { startFiles } from './files.js';
import { startRule } from './rule.js';
import { startCopy } from './copy.js';
import { startWorkbench } from './workbench.js';

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
  startWorkbench();
  startLoading();
  startRule();
  startFiles();
  startFields();
  startRecords();
  startGather();
  startGrid();
  showLive();
  showQuery();
}

tellServer();
startKeys();
startMenus();
startLive();
startFind();
startCopy();
startCopyingCells();
startExports();
startMarks();
startPlaces();
start();
document.addEventListener('htmx:after:swap', start);
document.addEventListener('kumiko:loaded', start);
// The head of the result knows only what its page knew; the counts that come later know more.
document.addEventListener('kumiko:loaded', () => {
  const told = document.querySelector('#counts [data-records]');
  const total = document.getElementById('total');
  if (told && total) total.textContent = told.dataset.records;
  const usual = document.getElementById('usual');
  if (told?.dataset.usual && usual) usual.textContent = told.dataset.usual;
  // Where nothing is left, what each condition took is shown without being asked for.
  const how = document.querySelector('details.how');
  if (told?.dataset.none && how) how.open = true;
});

// Menus close when one looks elsewhere.
document.addEventListener('click', (event) => {
  for (const menu of document.querySelectorAll('details[data-menu][open]')) if (!menu.contains(event.target)) menu.open = false;
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
