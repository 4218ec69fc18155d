import { askHtml, partOf } from './ask.js';
import { go } from './go.js';
import { element } from './svg.js';
import { showMenu } from './menus.js';

// Search, order and pins of the list of fields; brushing of its histograms.
const keptFor = 31536000;

export function startFields() {
  for (const box of document.querySelectorAll('[data-histogram]:not([data-ready])')) startHistogram(box);
  const search = document.querySelector('[data-field-search]:not([data-ready])');
  if (!search) return;
  search.dataset.ready = 'true';
  const list = search.closest('.fields');
  const fields = [...list.querySelectorAll('[data-field].field')];
  search.addEventListener('input', () => {
    const wanted = search.value.trim().toLowerCase();
    for (const field of fields) {
      const named = field.dataset.field.toLowerCase().includes(wanted);
      const held = !named && [...field.querySelectorAll('.only')].some((v) => v.textContent.toLowerCase().includes(wanted));
      field.hidden = wanted ? !named && !held : field.dataset.late === 'true';
    }
  });
  list.querySelector('[data-field-sort]').addEventListener('change', (event) => {
    const by = event.target.value;
    const rank = (field) => (field.dataset.pinned === 'true' ? 1 : 0);
    fields.sort(
      (a, b) =>
        rank(b) - rank(a) || (by === 'name' ? a.dataset.field.localeCompare(b.dataset.field) : +b.dataset[by] - +a.dataset[by]),
    );
    fields.at(-1)?.parentElement.append(...fields);
  });
  list.addEventListener('click', (event) => {
    const pin = event.target.closest('[data-pin]');
    if (!pin) return;
    const field = pin.closest('.field');
    const pinned = pin.getAttribute('aria-pressed') !== 'true';
    pin.setAttribute('aria-pressed', String(pinned));
    if (pinned) field.dataset.pinned = 'true';
    else delete field.dataset.pinned;
    const names = decodeURIComponent((document.cookie.match(/(?:^|; )pins=([^;]*)/) ?? [])[1] ?? '')
      .split('\t')
      .filter((n) => n && n !== field.dataset.field);
    if (pinned) {
      names.unshift(field.dataset.field);
      fields[0].parentElement.insertBefore(field, fields.find((f) => f.dataset.pinned !== 'true') ?? null);
    }
    document.cookie =
      'pins=' + encodeURIComponent(names.slice(0, 20).join('\t')) + '; path=/; max-age=' + keptFor + '; samesite=lax';
  });
}

function startHistogram(box) {
  box.dataset.ready = 'true';
  const svg = box.querySelector('svg');
  const edges = box.dataset.edges.split(' ');
  const bins = edges.length - 1;
  const bin = (event) => {
    const place = svg.getBoundingClientRect();
    return Math.max(0, Math.min(bins - 1, Math.floor(((event.clientX - place.left) / place.width) * bins)));
  };
  const form = box.querySelector('form');
  const brush = element('rect', { class: 'brush', height: svg.viewBox.baseVal.height });
  svg.addEventListener('pointerdown', (event) => {
    event.preventDefault();
    svg.setPointerCapture(event.pointerId);
    const begin = bin(event);
    svg.append(brush);
    const move = (e) => {
      const [first, last] = [Math.min(begin, bin(e)), Math.max(begin, bin(e))];
      const width = svg.viewBox.baseVal.width / bins;
      brush.setAttribute('x', first * width);
      brush.setAttribute('width', (last - first + 1) * width);
      form.elements.from.value = edges[first];
      form.elements.to.value = edges[last + 1];
    };
    const end = (e) => {
      svg.removeEventListener('pointermove', move);
      if (e.type === 'pointerup') {
        move(e);
        form.requestSubmit();
      }
    };
    move(event);
    svg.addEventListener('pointermove', move);
    svg.addEventListener('pointerup', end, { once: true });
    svg.addEventListener('pointercancel', end, { once: true });
  });
  form.addEventListener('submit', (event) => {
    event.preventDefault();
    const condition = `${box.dataset.field} in ${form.elements.from.value.trim()}..${form.elements.to.value.trim()}`;
    pick(box.dataset.url, condition);
  });
}

// The same text as by hand: the menu's first entry adds the condition.
async function pick(url, condition) {
  const address = new URL(url, location.href);
  address.searchParams.set('condition', condition);
  const only = partOf((await askHtml(address)) ?? '').querySelector('a');
  if (only) go(only.getAttribute('href'));
}
