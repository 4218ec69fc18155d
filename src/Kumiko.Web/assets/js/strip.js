import { askHtml, askJson, came, latest } from './ask.js';
import { go } from './go.js';
import { element } from './svg.js';
import { showMenu } from './menus.js';

// The time strip: a stretch is drawn on it, the frame is moved and stretched by its edges, the wheel zooms.
const grip = 7;
const shortest = 1000;

export function iso(milliseconds) {
  return new Date(Math.round(milliseconds / 1000) * 1000).toISOString().replace('.000Z', 'Z');
}

function pageWith(change) {
  const url = new URL(document.getElementById('strip').dataset.url, location.href);
  for (const name of ['at', 'when']) url.searchParams.delete(name);
  change(url.searchParams);
  return url.pathname + url.search;
}

export function setFocus(from, to) {
  go(
    pageWith((p) => {
      p.set('from', iso(from));
      p.set('to', iso(to));
    }),
  );
}

function setBaseline(from, to) {
  go(pageWith((p) => p.set('base', `${iso(from)}/${iso(to)}`)));
}

const shown = () => document.querySelector('svg[data-strip]');

function frameOf(svg) {
  const frame = svg.querySelector('.focus:not(.drawing)');
  const from = +svg.dataset.from,
    width = +svg.dataset.to - from,
    box = svg.viewBox.baseVal.width;
  if (!frame) return null;
  const x = frame.x.baseVal.value;
  return { start: from + (x / box) * width, end: from + ((x + frame.width.baseVal.value) / box) * width };
}

export function shiftFocus(left, right) {
  const svg = shown();
  const frame = svg && frameOf(svg);
  if (!frame) return;
  const length = frame.end - frame.start;
  const start = frame.start + left * length;
  setFocus(start, Math.max(frame.end + right * length, start + shortest));
}

export function startStrips() {
  for (const svg of document.querySelectorAll('svg[data-strip]')) {
    if (svg.dataset.ready) continue;
    svg.dataset.ready = 'true';
    start(svg);
  }
  startWhen();
  const draw = document.querySelector('[data-draw-baseline]:not([data-ready])');
  if (draw) {
    draw.dataset.ready = 'true';
    draw.addEventListener('click', () => {
      draw.closest('details').open = false;
      const svg = shown();
      svg.dataset.drawing = 'baseline';
      tell(svg, 'Draw the baseline here', svg.viewBox.baseVal.width / 2);
    });
  }
}

// The strip for another span, fetched alone: the answer stays as it is.
const zooming = latest();
async function zoom(span) {
  const page = pageWith((p) => p.set('span', span));
  if (!document.getElementById('view')) {
    location.assign(page);
    return;
  }
  const url = new URL(page, location.href);
  const fragment = new URL(url);
  fragment.searchParams.set('handler', 'Strip');
  try {
    const html = await askHtml(fragment, zooming());
    if (html === null) return;
    const focused = document.activeElement?.closest('svg[data-strip]');
    document.getElementById('strip').outerHTML = html;
    const here = new URL(location.href);
    here.searchParams.set('span', span);
    history.replaceState(history.state, '', here);
    came(document.getElementById('strip'));
    if (focused) shown().focus();
  } catch {
    /* zoomed on meanwhile */
  }
}

const time = new Map();
function clock(svg, milliseconds, seconds = false) {
  const key = svg.dataset.zone + seconds;
  if (!time.has(key))
    time.set(
      key,
      new Intl.DateTimeFormat('en-GB', {
        timeZone: svg.dataset.zone.replace(/^UTC(?=[+-])/, ''),
        weekday: 'short',
        day: 'numeric',
        month: 'short',
        hour: '2-digit',
        minute: '2-digit',
        ...(seconds ? { second: '2-digit' } : {}),
      }),
    );
  return time.get(key).format(milliseconds).replace(',', '');
}

const number = (n) => n.toLocaleString('en').replaceAll(',', '\u2009');

function sum(svg, from, to) {
  const step = +svg.dataset.step,
    first = +svg.dataset.from;
  let [all, warn, error] = [0, 0, 0];
  svg.dataset.counts.split(' ').forEach((bar, i) => {
    const middle = first + (i + 0.5) * step;
    if (middle < from || middle >= to) return;
    const [calm, w, e] = bar.split(',').map(Number);
    all += calm + w + e;
    warn += w;
    error += e;
  });
  const rows = `${number(all)} ${svg.dataset.what}`;
  return rows + (error ? `, ${number(error)} errors` : '') + (warn ? `, ${number(warn)} warnings` : '');
}

function tell(svg, text, x) {
  const tip = svg.parentElement.querySelector('.strip-tip');
  tip.textContent = text;
  tip.hidden = false;
  const box = svg.getBoundingClientRect();
  const place = (x / svg.viewBox.baseVal.width) * box.width;
  tip.style.left = Math.max(2, Math.min(place + 10, box.width - tip.offsetWidth - 4)) + 'px';
}

function start(svg) {
  const box = svg.viewBox.baseVal;
  const from = +svg.dataset.from,
    to = +svg.dataset.to,
    step = +svg.dataset.step;
  const frame = svg.querySelector('.focus');
  const tip = svg.parentElement.querySelector('.strip-tip');
  const x = (event) => {
    const place = svg.getBoundingClientRect();
    return Math.max(0, Math.min(box.width, ((event.clientX - place.left) / place.width) * box.width));
  };
  const time = (place) => from + (place / box.width) * (to - from);
  const edges = () => (frame ? [frame.x.baseVal.value, frame.x.baseVal.value + frame.width.baseVal.value] : [-100, -100]);
  const part = (place) => {
    const [left, right] = edges();
    if (Math.abs(place - left) < grip) return 'left';
    if (Math.abs(place - right) < grip) return 'right';
    return place > left && place < right && right - left < box.width * 0.9 ? 'move' : 'draw';
  };
  const barAt = (place) => {
    const begin = from + Math.floor((time(place) - from) / step) * step;
    return [begin, begin + step];
  };

  svg.addEventListener('pointermove', (event) => {
    if (event.buttons) return;
    svg.dataset.part = svg.dataset.drawing ? 'draw' : part(x(event));
    if (svg.dataset.drawing) return;
    const [begin, end] = barAt(x(event));
    tell(svg, `${clock(svg, begin, step < 60000)} · ${sum(svg, begin, end)}`, x(event));
  });
  svg.addEventListener('pointerleave', () => {
    if (!svg.dataset.drawing) tip.hidden = true;
  });

  svg.addEventListener(
    'wheel',
    (event) => {
      event.preventDefault();
      const factor = event.deltaY > 0 ? 1.5 : 1 / 1.5;
      const at = time(x(event)),
        length = Math.max(10000, (to - from) * factor);
      const share = (at - from) / (to - from);
      zoom(`${iso(at - share * length)}/${iso(at + (1 - share) * length)}`);
    },
    { passive: false },
  );

  svg.addEventListener('dblclick', () => zoom('all'));

  svg.addEventListener('keydown', (event) => {
    const frameNow = frameOf(svg);
    if (!frameNow) return;
    const by = (frameNow.end - frameNow.start) / 10;
    const { start: a, end: b } = frameNow;
    switch (event.key) {
      case 'ArrowLeft':
        if (event.shiftKey) setFocus(a, Math.max(a + shortest, b - by));
        else setFocus(a - by, b - by);
        break;
      case 'ArrowRight':
        if (event.shiftKey) setFocus(a, b + by);
        else setFocus(a + by, b + by);
        break;
      case 'ArrowUp':
        zoom(`${iso((from + to) / 2 - (to - from) / 3)}/${iso((from + to) / 2 + (to - from) / 3)}`);
        break;
      case 'ArrowDown':
        zoom(`${iso(from - (to - from) / 4)}/${iso(to + (to - from) / 4)}`);
        break;
      case 'Home':
        zoom('all');
        break;
      default:
        return;
    }
    event.preventDefault();
    event.stopPropagation();
  });

  svg.addEventListener('pointerdown', (event) => {
    if (event.button !== 0) return;
    event.preventDefault();
    svg.focus({ preventScroll: true });
    const begin = x(event);
    const [left, right] = edges();
    const baseline = svg.dataset.drawing === 'baseline' || event.altKey;
    // With Shift a new stretch is drawn even inside the frame.
    const kind = event.shiftKey || baseline ? 'draw' : part(begin);
    const drawn = element(
      'rect',
      {
        class: baseline ? 'baseline-frame drawing' : 'focus drawing',
        y: frame?.getAttribute('y') ?? 17,
        height: frame?.getAttribute('height') ?? 110,
      },
      svg,
    );
    svg.setPointerCapture(event.pointerId);
    let now = [begin, begin];
    const move = (e) => {
      const at = x(e);
      if (kind === 'draw') now = [Math.min(begin, at), Math.max(begin, at)];
      else if (kind === 'left') now = [Math.min(at, right - 2), right];
      else if (kind === 'right') now = [left, Math.max(at, left + 2)];
      else {
        const by = Math.max(-left, Math.min(box.width - right, at - begin));
        now = [left + by, right + by];
      }
      drawn.setAttribute('x', now[0]);
      drawn.setAttribute('width', Math.max(0, now[1] - now[0]));
      if (!baseline) frame?.classList.add('old');
      if (now[1] - now[0] > 2)
        tell(svg, `${clock(svg, time(now[0]))} to ${clock(svg, time(now[1]))} · ${sum(svg, time(now[0]), time(now[1]))}`, at);
    };
    const end = (e) => {
      svg.removeEventListener('pointermove', move);
      svg.removeEventListener('pointerup', end);
      svg.removeEventListener('pointercancel', end);
      drawn.remove();
      frame?.classList.remove('old');
      delete svg.dataset.drawing;
      if (e.type !== 'pointerup') return;
      const moved = kind === 'draw' ? now[1] - now[0] > 3 : Math.abs(x(e) - begin) > 2;
      if (moved && baseline) setBaseline(time(now[0]), Math.max(time(now[1]), time(now[0]) + shortest));
      else if (moved) setFocus(time(now[0]), Math.max(time(now[1]), time(now[0]) + shortest));
      else if (document.getElementById('view') && e.detail < 2) {
        const [first, last] = barAt(begin);
        showMenu(
          document.querySelector('[data-menu-url]')?.dataset.menuUrl ?? pageWith((p) => p.set('handler', 'Menu')),
          { start: first * 1e6, end: last * 1e6 },
          e.clientX,
          e.clientY,
        );
      }
    };
    svg.addEventListener('pointermove', move);
    svg.addEventListener('pointerup', end);
    svg.addEventListener('pointercancel', end);
  });
}

// What a typed time means is said before it is set.
function startWhen() {
  const input = document.querySelector('#when:not([data-ready])');
  if (!input) return;
  input.dataset.ready = 'true';
  const means = document.getElementById('when-means');
  const asking = latest();
  let waiting;
  input.addEventListener('input', () => {
    clearTimeout(waiting);
    waiting = setTimeout(async () => {
      try {
        const url = new URL('/search', location.href);
        url.searchParams.set('handler', 'When');
        url.searchParams.set('when', input.value);
        const zone = new URL(location.href).searchParams.get('zone');
        if (zone) url.searchParams.set('zone', zone);
        const found = await askJson(url, asking());
        if (!found) return;
        means.textContent = found.text;
        means.classList.toggle('wrong', !found.understood);
        means.hidden = false;
      } catch {
        /* typed on meanwhile */
      }
    }, 60);
  });
  input.addEventListener('blur', () => {
    means.hidden = true;
  });
  input.addEventListener('keydown', (event) => {
    if (event.key !== 'Escape') return;
    input.value = input.defaultValue;
    means.hidden = true;
    input.blur();
  });
}
