import { go } from './go.js';

// A table whose cells are walked, marked and copied, and whose columns are given a width.
let from = null;
let to = null;

const cellsOf = (row) => [...row.querySelectorAll('td[data-cell]')];
const rowsOf = (grid) => [...grid.tBodies[0].rows].filter((row) => row.querySelector('td[data-cell]'));

function placeOf(cell) {
  const row = cell.closest('tr');
  return { row: rowsOf(cell.closest('[data-grid]')).indexOf(row), column: cellsOf(row).indexOf(cell) };
}

function cellAt(grid, place) {
  const rows = rowsOf(grid);
  const row = rows[Math.max(0, Math.min(rows.length - 1, place.row))];
  const cells = row ? cellsOf(row) : [];
  return cells[Math.max(0, Math.min(cells.length - 1, place.column))];
}

// The marked cells, row by row.
function marked(grid) {
  if (!from || !to || from.closest('[data-grid]') !== grid) return [];
  const [a, b] = [placeOf(from), placeOf(to)];
  const [top, bottom] = [Math.min(a.row, b.row), Math.max(a.row, b.row)];
  const [left, right] = [Math.min(a.column, b.column), Math.max(a.column, b.column)];
  return rowsOf(grid)
    .slice(top, bottom + 1)
    .map((row) => cellsOf(row).slice(left, right + 1));
}

function mark(grid, cell, more) {
  for (const old of grid.querySelectorAll('td.marked')) old.classList.remove('marked');
  to = cell;
  if (!more || !from?.isConnected) from = cell;
  for (const one of marked(grid).flat()) one.classList.add('marked');
  for (const old of grid.querySelectorAll('td[tabindex="0"]')) old.tabIndex = -1;
  cell.tabIndex = 0;
  cell.focus({ preventScroll: true });
  cell.scrollIntoView({ block: 'nearest', inline: 'nearest' });
}

// As spreadsheets take it: tabs between cells, and no line break inside one.
const textOf = (cell) => (cell.dataset.whole || cell.querySelector('.v').textContent).replace(/[\t\r\n]+/g, ' ');
const linesOf = (rows) => rows.map((cells) => cells.map(textOf).join('\t')).join('\n');

function tell(grid, words) {
  const told = grid.closest('section, main').querySelector('[data-grid-told]');
  if (told) told.textContent = words;
}

async function copyRows(grid) {
  const chosen = marked(grid).map((cells) => cellsOf(cells[0].closest('tr')));
  const rows = chosen.length ? chosen : rowsOf(grid).map(cellsOf);
  const names = grid.dataset.layout
    .split('\t')
    .map((column) => column.slice(column.indexOf(':') + 1))
    .join('\t');
  const text = names + '\n' + linesOf(rows);
  const words = `${rows.length} ${rows.length === 1 ? 'row' : 'rows'} copied`;
  try {
    await navigator.clipboard.writeText(text);
    tell(grid, words);
  } catch {
    tell(grid, 'The browser does not let this page copy. Mark cells and press Ctrl+C.');
  }
}

function resize(handle, event) {
  event.preventDefault();
  const grid = handle.closest('[data-grid]');
  const column = Number(handle.dataset.resize);
  const head = handle.closest('th');
  const cols = [...grid.querySelectorAll('col')];
  const col = cols[cols.length - grid.dataset.layout.split('\t').length + column];
  const begin = head.getBoundingClientRect().width - event.clientX;
  const width = (e) => Math.round(Math.max(40, Math.min(1200, begin + e.clientX)));
  handle.setPointerCapture(event.pointerId);
  const move = (e) => col.setAttribute('width', width(e));
  handle.addEventListener('pointermove', move);
  handle.addEventListener(
    'pointerup',
    (e) => {
      handle.removeEventListener('pointermove', move);
      const layout = grid.dataset.layout.split('\t');
      layout[column] = width(e) + layout[column].slice(layout[column].indexOf(':'));
      const url = new URL(location.href);
      url.searchParams.set('table', layout.join('\t'));
      go(url.pathname + url.search);
    },
    { once: true },
  );
}

export function startGrid() {
  const grid = document.querySelector('[data-grid]:not([data-ready])');
  if (!grid) return;
  grid.dataset.ready = 'true';
  const first = grid.querySelector('td[data-cell]');
  if (first) first.tabIndex = 0;
  grid.addEventListener('click', (event) => {
    const cell = event.target.closest('td[data-cell]');
    if (cell && !event.target.closest('a, button')) mark(grid, cell, event.shiftKey);
  });
  grid.addEventListener('keydown', (event) => {
    const cell = event.target.closest('td[data-cell]');
    if (!cell || event.target !== cell) return;
    const by = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[event.key];
    if (by) {
      event.preventDefault();
      const place = placeOf(to?.isConnected ? to : cell);
      const next = cellAt(grid, { row: place.row + by[0], column: place.column + by[1] });
      if (next) mark(grid, next, event.shiftKey);
    } else if (event.key === 'Enter') cell.querySelector('a')?.click();
  });
  grid.addEventListener('pointerdown', (event) => {
    const handle = event.target.closest('[data-resize]');
    if (handle) resize(handle, event);
  });
  document.querySelector('[data-copy-rows]')?.addEventListener('click', () => copyRows(grid));
}

export function startCopyingCells() {
  document.addEventListener('copy', (event) => {
    const grid = document.activeElement?.closest?.('[data-grid]');
    if (!grid || getSelection().toString().trim()) return;
    const rows = marked(grid);
    if (!rows.length) return;
    event.preventDefault();
    event.clipboardData.setData('text/plain', linesOf(rows));
    tell(grid, rows.flat().length === 1 ? 'Cell copied' : `${rows.flat().length} cells copied`);
  });
}
