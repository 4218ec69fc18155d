import { setFocus } from './strip.js';

// Keys, unless one is typing.
export function startKeys() {
  document.addEventListener('keydown', event => {
    const typing = event.target.closest('input, textarea, select, [contenteditable=true]');
    if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
    const strip = document.querySelector('svg[data-strip]');
    const frame = strip?.querySelector('.focus');
    switch (event.key) {
      case 'j': walk(1); break;
      case 'k': walk(-1); break;
      case 'o': document.activeElement?.closest('details.record')?.toggleAttribute('open'); break;
      case '[': if (frame) shift(strip, frame, -0.5, -0.5); break;
      case ']': if (frame) shift(strip, frame, 0.5, 0.5); break;
      case '-': if (frame) shift(strip, frame, -0.5, 0.5); break;
      case '=': if (frame) shift(strip, frame, 0.25, -0.25); break;
      default: return;
    }
    event.preventDefault();
  });
}

function walk(by) {
  const all = [...document.querySelectorAll('details.record > summary')];
  if (!all.length) return;
  const at = all.indexOf(document.activeElement);
  all[Math.max(0, Math.min(all.length - 1, at < 0 ? 0 : at + by))].focus();
}

function shift(strip, frame, left, right) {
  const from = +strip.dataset.from, to = +strip.dataset.to, width = strip.viewBox.baseVal.width;
  const time = x => from + x / width * (to - from);
  const start = time(frame.x.baseVal.value), end = time(frame.x.baseVal.value + frame.width.baseVal.value);
  const length = end - start;
  setFocus(start + left * length, Math.max(end + right * length, start + left * length + 1000));
}
