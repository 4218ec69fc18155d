import { askHtml, askJson, came } from './ask.js';
import { go } from './go.js';
import { showMenu } from './menus.js';
import { startLoading } from './loading.js';

// The page of charts: forms that change the chart without leaving the page, the builder beside a series' text, the legend as a
// table that sorts and finds, and parts that are asked for by a form.
export function startWorkbench() {
  if (!document.querySelector('.board')) return;
  for (const form of document.querySelectorAll('form[data-go]:not([data-ready])')) startForm(form);
  for (const form of document.querySelectorAll('form[data-part]:not([data-ready])')) startPart(form);
  for (const parts of document.querySelectorAll('[data-builder]:not([data-ready])')) startBuilder(parts);
  for (const table of document.querySelectorAll('table[data-legend]:not([data-ready])')) startLegend(table);
  colourTexts();
}

function parameters(form) {
  return new URLSearchParams([...new FormData(form)].filter(([, value]) => value !== ''));
}

async function apply(form) {
  const found = await askJson(form.getAttribute('action') + '?' + parameters(form));
  if (found) go(found.url);
  else form.submit();
}

function startForm(form) {
  form.dataset.ready = 'true';
  form.addEventListener('submit', (event) => {
    event.preventDefault();
    apply(form);
  });
  if ('goOnChange' in form.dataset) form.addEventListener('change', () => apply(form));
  form.addEventListener('keydown', (event) => {
    if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) {
      event.preventDefault();
      apply(form);
    }
  });
  if (form.classList.contains('title-form')) form.elements.title.addEventListener('change', () => apply(form));
  // Whoever opens a series begins with its text.
  if ('seriesForm' in form.dataset && !form.contains(document.activeElement))
    (form.querySelector('[data-series-text]') ?? form.querySelector('input:not([type=hidden])')).focus();
}

function startPart(form) {
  form.dataset.ready = 'true';
  form.addEventListener('submit', async (event) => {
    event.preventDefault();
    const into = document.querySelector(form.dataset.part);
    into.innerHTML = '<p class="wait">comparing…</p>';
    const html = await askHtml(form.getAttribute('action') + '?' + parameters(form));
    into.innerHTML = html ?? '<p class="wrong">This could not be answered. Try it again.</p>';
    came(into);
  });
}

// Pointing writes the text; typing in the text brings the builder to what it says.
function startBuilder(parts) {
  parts.dataset.ready = 'true';
  const form = parts.closest('form');
  const area = form.querySelector('[data-series-text]');
  let asked = 0;
  parts.addEventListener('change', async () => {
    const turn = ++asked;
    const query = parameters(form);
    query.set('handler', 'Built');
    const built = await askJson('/charts?' + query);
    if (!built || turn !== asked) return;
    const { text, problem, function: figure } = built;
    parts.querySelector('[name="b.function"]').value = figure;
    parts.querySelector('[name="b.was"]').value = parts.querySelector('[name="b.what"]').value;
    let told = parts.querySelector('.wrong');
    if (!told) {
      told = document.createElement('p');
      told.className = 'wrong';
      parts.append(told);
    }
    told.textContent = problem ?? '';
    if (!problem) area.value = text;
    preview();
  });
  async function preview() {
    const what = parts.querySelector('[name="b.what"]').value.trim();
    const into = parts.querySelector('[data-preview-of]');
    if (into.dataset.previewOf === what) return;
    into.dataset.previewOf = what;
    if (!what) {
      into.replaceChildren();
      return;
    }
    const html = await askHtml(parts.dataset.preview + '&what=' + encodeURIComponent(what));
    if (html !== null && into.dataset.previewOf === what) into.innerHTML = html;
  }
  preview();
  if (area.dataset.watched) return;
  area.dataset.watched = 'true';
  let typing;
  area.addEventListener('input', () => {
    clearTimeout(typing);
    typing = setTimeout(() => {
      if (!form.isConnected) return;
      const box = form.querySelector('.builder');
      const url = new URL(box.dataset.builderUrl, location.href);
      url.searchParams.set('text', area.value);
      const part = document.createElement('div');
      part.dataset.load = url.pathname + url.search;
      box.replaceChildren(part);
      startLoading();
    }, 400);
  });
}

function startLegend(table) {
  table.dataset.ready = 'true';
  const body = table.tBodies[0];
  let by = -1,
    down = true;
  table.tHead.addEventListener('click', (event) => {
    const head = event.target.closest('[data-sort]')?.closest('th');
    if (!head) return;
    const column = [...head.parentElement.children].indexOf(head);
    down = column === by ? !down : head.classList.contains('figure');
    by = column;
    const of = (row) => {
      const cell = row.cells[column];
      if (!('valueOf' in cell.dataset)) return cell.textContent.trim();
      return cell.dataset.valueOf === '' ? null : +cell.dataset.valueOf;
    };
    const rows = [...body.rows]
      .map((row) => [of(row), row])
      .sort(([a], [b]) => {
        if (a === null || b === null) return (a === null) - (b === null);
        const order = typeof a === 'number' ? a - b : a.localeCompare(b);
        return down ? -order : order;
      });
    body.append(...rows.map(([, row]) => row));
    for (const other of head.parentElement.children) other.removeAttribute('aria-sort');
    head.setAttribute('aria-sort', down ? 'descending' : 'ascending');
  });
  const figure = table.closest('.board-main').querySelector('figure.chart');
  body.addEventListener('click', (event) => {
    const mark = event.target.closest('[data-mark]');
    if (!mark || !figure?.dataset.markUrl) return;
    const row = mark.closest('tr');
    const box = mark.getBoundingClientRect();
    showMenu(
      figure.dataset.markUrl,
      { column: row.dataset.column, condition: row.dataset.condition },
      box.left,
      box.bottom,
      mark,
    );
  });
  const find = table.closest('.board-legend').querySelector('[data-legend-find]');
  find?.addEventListener('input', () => {
    const words = find.value
      .toLowerCase()
      .split(/\s+/)
      .filter((w) => w);
    for (const row of body.rows) {
      const text = row.textContent.toLowerCase();
      row.hidden = !words.every((w) => text.includes(w));
    }
  });
}

// The words of the language stand out in the rows as they do in the editor.
const stages =
  /(\bfrom\b|\bgroup\b|\bwhere\b|\bset\b|\bselect\b|\border\b|\blimit\b|\bjoin\b|\bparse\b|\btop\b|\bgaps\b|\bevery\b|\bby\b|\band\b|\bor\b|\bnot\b|\bas\b|\bon\b|\|)/g;
function colourTexts() {
  for (const text of document.querySelectorAll('[data-query-text]:not([data-ready])')) {
    text.dataset.ready = 'true';
    const words = text.textContent;
    if (!words.includes('|')) continue;
    text.replaceChildren(
      ...words.split(stages).map((part, i) => {
        if (i % 2 === 0) return part;
        const word = document.createElement('b');
        word.textContent = part;
        return word;
      }),
    );
  }
}
