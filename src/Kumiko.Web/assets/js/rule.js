import { came, latest, partOf, sendForm } from './ask.js';
import { element } from './svg.js';

// The form of a rule: shows the fields of what is chosen, tries the rule while it is filled in, and lets limits be dragged.
const controls = 'input, select, textarea';

export function startRule() {
  const form = document.querySelector('form[data-rule]');
  if (!form) return;
  startLimits(form);
  if (form.dataset.ready) return;
  form.dataset.ready = 'true';
  const running = latest();
  let waiting;
  const tryIt = () => {
    clearTimeout(waiting);
    waiting = setTimeout(async () => {
      const box = document.getElementById('trial');
      box.setAttribute('aria-busy', 'true');
      try {
        const html = await sendForm(location.pathname + '?handler=Trial', form, running());
        if (html === null) throw new Error('refused');
        box.replaceChildren(partOf(html));
        box.removeAttribute('aria-busy');
        came();
      } catch (e) {
        if (e.name !== 'AbortError') box.textContent = 'The trial did not arrive. Change a value to try again.';
      }
    }, 350);
  };
  form.addEventListener('input', (event) => {
    if (event.target.name !== 'text' && event.target.matches(controls)) tryIt();
  });
  form.addEventListener('change', (event) => {
    if (event.target.dataset.chooses) show(form);
  });
}

function show(form) {
  const value = (name) => form.elements[name].value;
  const happens = form.elements.Quantity.selectedOptions[0].dataset.figure === 'no';
  const asks = new Set([
    'q-' + value('Quantity'),
    'w-' + (happens ? 'happens' : value('Condition')),
    happens ? 'happens' : 'figure',
    'l-' + (happens ? 'once' : value('Lasting')),
  ]);
  for (const part of form.querySelectorAll('[data-when]'))
    part.hidden = !part.dataset.when.split(' ').some((when) => asks.has(when));
}

const GRIP = 12;

// Over the picture, at the same scale.
function gripsOf(svg) {
  const known = svg.parentElement.querySelector('svg.grips');
  if (known) return known;
  const over = element('svg', {
    class: 'grips',
    viewBox: svg.getAttribute('viewBox'),
    role: 'group',
    'aria-label': 'Limits',
  });
  svg.after(over);
  return over;
}

const fields = { warning: 'Warning', critical: 'Critical', limit: 'Limit' };

function startLimits(form) {
  for (const line of form.querySelectorAll('line[data-handle]')) {
    if (line.dataset.ready) continue;
    line.dataset.ready = 'true';
    const svg = line.closest('svg');
    const data = JSON.parse(svg.dataset.chart);
    const field = form.elements[fields[line.dataset.handle]];
    if (data.low === null || data.low === undefined || !field) continue;
    const label = field.getAttribute('aria-label');
    // A hair is too thin to be taken hold of; and a picture holds nothing that can be moved.
    const grip = element(
      'rect',
      {
        x: line.getAttribute('x1'),
        width: Number(line.getAttribute('x2')) - Number(line.getAttribute('x1')),
        height: GRIP,
        class: 'grip',
        tabindex: '0',
        role: 'slider',
        'aria-label': 'Limit: ' + label.toLowerCase(),
        'aria-orientation': 'vertical',
      },
      gripsOf(svg),
    );
    const low = data.low,
      high = data.high;
    const worth = (y) => low + ((data.bottom - y) / (data.bottom - data.top)) * (high - low);
    const place = (value) => data.bottom - ((value - low) / (high - low)) * (data.bottom - data.top);
    let value = worth(Number(line.getAttribute('y1')));
    grip.setAttribute('y', Number(line.getAttribute('y1')) - GRIP / 2);
    const tell = () => grip.setAttribute('aria-valuenow', String(round(value, (high - low) / 200)));
    tell();
    const stand = (y) => {
      const at = Math.max(data.top, Math.min(data.bottom, y));
      line.setAttribute('y1', at);
      line.setAttribute('y2', at);
      grip.setAttribute('y', at - GRIP / 2);
      value = worth(at);
      tell();
    };
    const settle = () => {
      field.value = written(field.value, round(value, (high - low) / 200));
      field.dispatchEvent(new Event('input', { bubbles: true }));
    };
    grip.addEventListener('pointerdown', (event) => {
      event.preventDefault();
      event.stopPropagation();
      grip.setPointerCapture(event.pointerId);
      const move = (moved) => {
        const rect = svg.getBoundingClientRect();
        stand(((moved.clientY - rect.top) / rect.height) * svg.viewBox.baseVal.height);
      };
      const end = () => {
        grip.removeEventListener('pointermove', move);
        grip.removeEventListener('pointerup', end);
        settle();
      };
      grip.addEventListener('pointermove', move);
      grip.addEventListener('pointerup', end);
    });
    grip.addEventListener('keydown', (event) => {
      const steps = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
      if (!steps) return;
      event.preventDefault();
      event.stopPropagation();
      stand(place(value + (steps * (high - low)) / 100));
      settle();
    });
  }
}

// As round as a pixel can tell.
function round(value, grain) {
  const unit = 10 ** Math.floor(Math.log10(grain));
  return Number((Math.round(value / unit) * unit).toPrecision(10));
}

// In the way that the field was written: percent stays percent, a length of time a length of time.
function written(before, value) {
  if (before.trim().endsWith('%')) return Number((value * 100).toPrecision(8)) + '%';
  if (/[0-9](ns|us|ms|s|m|h|d)$/.test(before.trim()))
    return value >= 1 ? Number(value.toPrecision(4)) + 's' : Math.round(value * 1000) + 'ms';
  return String(value);
}
