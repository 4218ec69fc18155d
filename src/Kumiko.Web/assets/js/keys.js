import { shiftFocus } from './strip.js';
import { openFind, openKeys } from './find.js';
import { switchLive } from './live.js';
import { focusEditor } from './editor.js';
import { go } from './go.js';

const sections = { s: '/search', c: '/charts', a: '/alerts', o: '/sources', k: '/searches' };
let going = false;

// Keys, unless one is typing.
export function startKeys() {
  document.addEventListener('keydown', (event) => {
    const typing = event.target.closest('input, textarea, select, [contenteditable=true]');
    if (typing || event.ctrlKey || event.metaKey || event.altKey || document.querySelector('dialog[open]')) return;
    if (going) {
      going = false;
      if (sections[event.key]) {
        event.preventDefault();
        location.assign(sections[event.key]);
      }
      return;
    }
    // Arrow keys and the like of the strip are its own.
    switch (event.key) {
      case '/':
        openFind();
        break;
      case '?':
        openKeys();
        break;
      case 'g':
        going = true;
        setTimeout(() => {
          going = false;
        }, 1500);
        break;
      case 'q':
        focusEditor();
        break;
      case 't':
        document.getElementById('when')?.select();
        break;
      case 'f':
        document.querySelector('[data-field-search]')?.focus();
        break;
      case 'j':
        walk(1);
        break;
      case 'k':
        walk(-1);
        break;
      case 'o':
        if (record()) {
          record().open = !record().open;
          record().querySelector('summary').focus();
        }
        break;
      case 'i':
        point('[data-include]');
        break;
      case 'x':
        point('[data-exclude]');
        break;
      case 'c':
        around();
        break;
      case 'b':
        baseline();
        break;
      case 'l':
        live();
        break;
      case '[':
        shiftFocus(-0.5, -0.5);
        break;
      case ']':
        shiftFocus(0.5, 0.5);
        break;
      case '-':
        shiftFocus(-0.5, 0.5);
        break;
      case '=':
        shiftFocus(0.25, -0.25);
        break;
      default:
        return;
    }
    event.preventDefault();
  });
}

const record = () => document.activeElement?.closest('details.record');

function walk(by) {
  const all = [...document.querySelectorAll('details.record > summary')];
  if (!all.length) return;
  const at = all.indexOf(record()?.querySelector('summary'));
  const next = all[Math.max(0, Math.min(all.length - 1, at < 0 ? 0 : at + by))];
  next.focus({ preventScroll: true });
  next.scrollIntoView({ block: 'nearest' });
}

// On a value: only it, or without it. On a record: unfolds it and goes to its first value.
async function point(what) {
  const value = document.activeElement?.closest('[data-value]');
  if (value) {
    value.querySelector(what)?.click();
    return;
  }
  const of = record();
  if (!of) return;
  of.open = true;
  for (let i = 0; i < 50 && !of.querySelector(what); i++) await new Promise((next) => requestAnimationFrame(next));
  of.querySelector(what)?.focus();
}

async function around() {
  const of = record();
  if (!of) return;
  of.open = true;
  for (let i = 0; i < 100 && !of.querySelector('[data-around]'); i++) await new Promise((next) => requestAnimationFrame(next));
  of.querySelector('a[data-around]')?.click();
}

function baseline() {
  const all = [...document.querySelectorAll('[data-baseline]')];
  if (!all.length) return;
  const at = all.findIndex((a) => a.getAttribute('aria-current'));
  go(all[(at + 1) % all.length].getAttribute('href'));
}

// A focus in the past becomes one of the same kind that ends now.
function live() {
  if (document.querySelector('[data-live-switch]')) {
    switchLive();
    return;
  }
  if (!document.getElementById('view')) return;
  const url = new URL(location.href);
  for (const name of ['from', 'to', 'at', 'when']) url.searchParams.delete(name);
  go(url.pathname + url.search);
}
