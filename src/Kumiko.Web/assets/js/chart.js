import { setFocus } from './strip.js';
import { showMenu } from './menus.js';
import { element } from './svg.js';

// Charts: one cross-hair for all of a page, tooltips with the highest first, a stretch drawn by dragging, reading point by
// point with the keyboard, series lit up or picked in the legend, and an overview of what is higher than its view.
const hairs = new Set();

export function startCharts() {
  for (const svg of document.querySelectorAll('svg[data-chart]')) {
    if (svg.dataset.ready) continue;
    svg.dataset.ready = 'true';
    const data = JSON.parse(svg.dataset.chart);
    if (data.view) startOverview(svg, data.view);
    if (data.points) start(svg, data);
    else if (data.series) startMarks(svg, data);
  }
}

function start(svg, data) {
  const figure = svg.closest('figure');
  const tip = figure.querySelector('.tooltip');
  const told = figure.querySelector('[data-told]');
  const box = svg.viewBox.baseVal;
  const off = new Set();
  const place = (event) => {
    const rect = svg.getBoundingClientRect();
    return ((event.clientX - rect.left) / rect.width) * box.width;
  };
  const inside = (x) => Math.max(data.left, Math.min(data.right, x));
  const time = (x) => data.from + ((inside(x) - data.left) / (data.right - data.left)) * (data.to - data.from);
  const at = (when) => data.left + ((when - data.from) / (data.to - data.from)) * (data.right - data.left);
  const hair = element('line', { class: 'hair', y1: data.top, y2: data.bottom, visibility: 'hidden' }, svg);
  let current = -1;

  function nearest(x) {
    let best = -1;
    data.points.forEach((p, i) => {
      if (best < 0 || Math.abs(p.x - x) < Math.abs(data.points[best].x - x)) best = i;
    });
    return best;
  }

  function stand(x) {
    hair.setAttribute('x1', x);
    hair.setAttribute('x2', x);
    hair.setAttribute('visibility', 'visible');
  }

  // What another chart of the page points at; null when it points at nothing any more.
  const other = (when) => {
    if (when === null || when < data.from || when > data.to) hair.setAttribute('visibility', 'hidden');
    else stand(at(when));
  };
  const mine = { svg, other };
  hairs.add(mine);
  const tell = (when) => {
    for (const hair of hairs) {
      if (!hair.svg.isConnected) hairs.delete(hair);
      else if (hair !== mine) hair.other(when);
    }
  };

  function show(index) {
    if (index < 0) return;
    current = index;
    const point = data.points[index];
    stand(point.x);
    tell(time(point.x));
    const title = document.createElement('strong');
    title.textContent = point.title;
    const rows = point.values
      .filter(([i]) => !off.has(i))
      .map(([i, value]) => {
        const row = document.createElement('div');
        const name = document.createElement('span');
        name.className = 'name ' + data.series[i].style;
        name.textContent = data.series[i].name;
        const figure = document.createElement('b');
        figure.textContent = value;
        row.append(name, figure);
        return row;
      });
    if (point.more > 0) {
      const more = document.createElement('small');
      more.textContent = point.more + ' more, lower';
      rows.push(more);
    }
    tip.replaceChildren(title, ...rows);
    tip.hidden = false;
    const rect = svg.getBoundingClientRect();
    const x = (point.x / box.width) * rect.width;
    // A position is set by script through the style object, which the security policy allows.
    const left = x + 14 + tip.offsetWidth > rect.width ? x - tip.offsetWidth - 14 : x + 14;
    tip.style.left = Math.max(0, left) + 'px';
    tip.style.top = '24px';
  }

  function hide() {
    current = -1;
    hair.setAttribute('visibility', 'hidden');
    tip.hidden = true;
    tell(null);
  }

  // A step of the chart, of the series that was met or else of the one that is highest there, and what can be done with it.
  function mark(index, of, x, y, returnTo) {
    const url = figure.dataset.markUrl ?? figure.dataset.menuUrl;
    const point = data.points[index];
    if (!url || !point) return;
    hide();
    const series = data.series[of ?? point.values.find(([i]) => !off.has(i) && !data.series[i].style.includes('ghost'))?.[0]];
    if (figure.dataset.markUrl)
      showMenu(url, { column: series?.column, condition: series?.condition, start: point.at, end: point.end }, x, y, returnTo);
    else showMenu(url, { mark: true, condition: series?.condition, start: point.at * 1e6, end: point.end * 1e6 }, x, y, returnTo);
  }

  svg.addEventListener('pointermove', (event) => {
    const x = place(event);
    if (!data.points.length || x < data.left - 4 || x > data.right + 4) hide();
    else show(nearest(x));
  });
  svg.addEventListener('pointerleave', hide);
  svg.addEventListener('blur', hide);
  svg.addEventListener('keydown', (event) => {
    const last = data.points.length - 1;
    const next = {
      ArrowLeft: current < 0 ? last : Math.max(0, current - 1),
      ArrowRight: current < 0 ? 0 : Math.min(last, current + 1),
      Home: 0,
      End: last,
    }[event.key];
    if (event.key === 'Enter' && current >= 0) {
      mark(
        current,
        null,
        svg.getBoundingClientRect().left + (data.points[current].x / box.width) * svg.getBoundingClientRect().width,
        svg.getBoundingClientRect().top + 60,
        svg,
      );
      event.preventDefault();
      return;
    }
    if (event.key === 'Escape' && current >= 0) {
      hide();
      event.preventDefault();
      return;
    }
    if (next === undefined || last < 0 || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    event.stopPropagation();
    show(next);
    const point = data.points[next];
    told.textContent =
      point.title +
      '. ' +
      point.values
        .filter(([i]) => !off.has(i))
        .map(([i, value]) => data.series[i].name + ' ' + value)
        .join(', ');
  });
  svg.addEventListener('pointerdown', (event) => {
    if (event.button !== 0 || !document.getElementById('view')) return;
    event.preventDefault();
    const begin = inside(place(event));
    const met = event.target.closest('[data-of]')?.dataset.of;
    const drawn = element('rect', { class: 'focus drawing', y: data.top, height: data.bottom - data.top }, svg);
    svg.setPointerCapture(event.pointerId);
    const move = (e) => {
      const at = inside(place(e));
      drawn.setAttribute('x', Math.min(begin, at));
      drawn.setAttribute('width', Math.abs(at - begin));
    };
    const end = (e) => {
      svg.removeEventListener('pointermove', move);
      svg.removeEventListener('pointerup', end);
      svg.removeEventListener('pointercancel', end);
      drawn.remove();
      const at = inside(place(e));
      if (e.type === 'pointerup' && Math.abs(at - begin) <= 3) mark(nearest(at), met, e.clientX, e.clientY);
      if (e.type === 'pointerup' && Math.abs(at - begin) > 3) setFocus(time(Math.min(begin, at)), time(Math.max(begin, at)));
    };
    svg.addEventListener('pointermove', move);
    svg.addEventListener('pointerup', end);
    svg.addEventListener('pointercancel', end);
  });
  startLegend(svg, figure, off);
}

// Bars and parts without an axis of time stand for a group each.
function startMarks(svg, data) {
  const { markUrl, menuUrl } = svg.closest('figure').dataset;
  if (!markUrl && !menuUrl) return;
  svg.addEventListener('click', (event) => {
    const series = data.series[event.target.closest('[data-of]')?.dataset.of];
    if (series && (markUrl || series.condition))
      showMenu(
        markUrl ?? menuUrl,
        { column: markUrl ? series.column : null, condition: series.condition },
        event.clientX,
        event.clientY,
      );
  });
}

// Pointing at a row lights its series up; its swatch shows it alone, with Shift it joins or leaves those that are shown.
function startLegend(svg, figure, off) {
  const rows = [
    ...((figure.dataset.markUrl && figure.closest('.board-main')) || figure).querySelectorAll('.legend tr[data-series]'),
  ];
  const marks = (series) => svg.querySelectorAll(`[data-of="${series}"]`);
  const apply = () =>
    rows.forEach((row) => {
      const hidden = off.has(+row.dataset.series);
      row.classList.toggle('off', hidden);
      row.querySelector('[data-only]').setAttribute('aria-pressed', String(off.size > 0 && !hidden));
      marks(row.dataset.series).forEach((m) => m.classList.toggle('off', hidden));
    });
  for (const row of rows) {
    const series = +row.dataset.series;
    row.addEventListener('pointerenter', () => {
      svg.classList.add('dimmed');
      marks(series).forEach((m) => m.classList.add('lit'));
    });
    row.addEventListener('pointerleave', () => {
      svg.classList.remove('dimmed');
      svg.querySelectorAll('.lit').forEach((m) => m.classList.remove('lit'));
    });
    row.querySelector('[data-only]').addEventListener('click', (event) => {
      const shown = rows.map((r) => +r.dataset.series).filter((s) => !off.has(s));
      if (event.shiftKey && off.size > 0) {
        if (off.has(series)) off.delete(series);
        else if (shown.length > 1) off.add(series);
      } else if (shown.length === 1 && shown[0] === series) off.clear();
      else
        for (const r of rows) {
          if (+r.dataset.series === series) off.delete(series);
          else off.add(+r.dataset.series);
        }
      apply();
    });
  }
}

// A picture that is higher than its view scrolls; beside it stands all of it, small, with a window to move.
function startOverview(svg, view) {
  const frame = svg.parentElement;
  const box = svg.viewBox.baseVal;
  frame.classList.add('scrolls');
  frame.tabIndex = 0;
  frame.setAttribute('role', 'region');
  frame.setAttribute('aria-label', svg.querySelector('title').textContent);
  frame.style.maxHeight = view + 'px';
  const small = element(
    'svg',
    { class: 'overview', viewBox: `0 0 ${box.width} ${box.height}`, preserveAspectRatio: 'none', 'aria-hidden': 'true' },
    frame.parentElement,
  );
  small.style.height = view + 'px';
  for (const mark of svg.querySelectorAll('rect')) small.append(mark.cloneNode());
  const seen = element('rect', { class: 'window', x: 0, width: box.width }, small);
  const scale = () => box.height / frame.scrollHeight;
  const follow = () => {
    seen.setAttribute('y', frame.scrollTop * scale());
    seen.setAttribute('height', frame.clientHeight * scale());
  };
  frame.addEventListener('scroll', follow);
  follow();
  const go = (event) => {
    const rect = small.getBoundingClientRect();
    frame.scrollTop = ((event.clientY - rect.top) / rect.height) * frame.scrollHeight - frame.clientHeight / 2;
  };
  small.addEventListener('pointerdown', (event) => {
    event.preventDefault();
    small.setPointerCapture(event.pointerId);
    go(event);
    small.addEventListener('pointermove', go);
  });
  for (const name of ['pointerup', 'pointercancel'])
    small.addEventListener(name, () => small.removeEventListener('pointermove', go));
}
