import { setFocus } from './strip.js';

// Charts: cross-hair, tooltip, a stretch drawn by dragging, and series lit up from the legend.
const svgName = 'http://www.w3.org/2000/svg';

export function startCharts() {
  for (const svg of document.querySelectorAll('svg[data-chart]')) {
    if (svg.dataset.ready) continue;
    svg.dataset.ready = 'true';
    start(svg, JSON.parse(svg.dataset.chart));
  }
}

function start(svg, data) {
  const figure = svg.closest('figure');
  const tip = figure.querySelector('.tooltip');
  const box = svg.viewBox.baseVal;
  const place = event => {
    const rect = svg.getBoundingClientRect();
    return (event.clientX - rect.left) / rect.width * box.width;
  };
  const inside = x => Math.max(data.left, Math.min(data.right, x));
  const time = x => data.from + (inside(x) - data.left) / (data.right - data.left) * (data.to - data.from);
  const hair = document.createElementNS(svgName, 'line');
  hair.setAttribute('class', 'hair');
  hair.setAttribute('y1', data.top);
  hair.setAttribute('y2', data.bottom);
  hair.setAttribute('visibility', 'hidden');
  svg.append(hair);

  function show(event) {
    const x = place(event);
    if (!data.points.length || x < data.left - 4 || x > data.right + 4) { hide(); return; }
    const point = data.points.reduce((a, b) => Math.abs(b.x - x) < Math.abs(a.x - x) ? b : a);
    hair.setAttribute('x1', point.x);
    hair.setAttribute('x2', point.x);
    hair.setAttribute('visibility', 'visible');
    const title = document.createElement('strong');
    title.textContent = point.title;
    const rows = data.series.map((series, i) => ({ series, value: point.values[i] })).filter(r => r.value !== '–').map(({ series, value }) => {
      const row = document.createElement('div');
      const name = document.createElement('span');
      name.className = 'name ' + series.style;
      name.textContent = series.name;
      const figure = document.createElement('b');
      figure.textContent = value;
      row.append(name, figure);
      return row;
    });
    tip.replaceChildren(title, ...rows);
    tip.hidden = false;
    const rect = svg.getBoundingClientRect();
    const at = point.x / box.width * rect.width;
    // A position is set by script through the style object, which the security policy allows.
    const left = at + 14 + tip.offsetWidth > rect.width ? at - tip.offsetWidth - 14 : at + 14;
    tip.style.left = Math.max(0, left) + 'px';
    tip.style.top = '24px';
  }

  function hide() {
    hair.setAttribute('visibility', 'hidden');
    tip.hidden = true;
  }

  svg.addEventListener('pointermove', show);
  svg.addEventListener('pointerleave', hide);
  svg.addEventListener('pointerdown', event => {
    if (event.button !== 0 || !document.getElementById('view')) return;
    event.preventDefault();
    const begin = inside(place(event));
    const drawn = document.createElementNS(svgName, 'rect');
    drawn.setAttribute('class', 'focus drawing');
    drawn.setAttribute('y', data.top);
    drawn.setAttribute('height', data.bottom - data.top);
    svg.append(drawn);
    svg.setPointerCapture(event.pointerId);
    const move = e => {
      const at = inside(place(e));
      drawn.setAttribute('x', Math.min(begin, at));
      drawn.setAttribute('width', Math.abs(at - begin));
    };
    const end = e => {
      svg.removeEventListener('pointermove', move);
      svg.removeEventListener('pointerup', end);
      svg.removeEventListener('pointercancel', end);
      drawn.remove();
      const at = inside(place(e));
      if (e.type === 'pointerup' && Math.abs(at - begin) > 3) setFocus(time(Math.min(begin, at)), time(Math.max(begin, at)));
    };
    svg.addEventListener('pointermove', move);
    svg.addEventListener('pointerup', end);
    svg.addEventListener('pointercancel', end);
  });

  for (const row of figure.querySelectorAll('.legend tr[data-series]')) {
    const style = data.series[+row.dataset.series].style;
    row.addEventListener('pointerenter', () => { svg.classList.add('dimmed'); svg.querySelectorAll('.' + style).forEach(m => m.classList.add('lit')); });
    row.addEventListener('pointerleave', () => { svg.classList.remove('dimmed'); svg.querySelectorAll('.lit').forEach(m => m.classList.remove('lit')); });
  }
}
