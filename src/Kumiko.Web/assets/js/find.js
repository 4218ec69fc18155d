import { askHtml, latest } from './ask.js';

// Find anything, the list of keys, the theme.
const keep = '; path=/; max-age=31536000; samesite=lax';

export function openFind() {
  const dialog = document.getElementById('find');
  if (!dialog || dialog.open) return;
  dialog.showModal();
  const input = dialog.querySelector('input');
  input.value = '';
  look('');
  input.focus();
}

export function openKeys() {
  document.getElementById('keys')?.showModal();
}

const looking = latest();
async function look(what) {
  try {
    const found = await askHtml('/find?what=' + encodeURIComponent(what), looking());
    if (found === null) return;
    document.getElementById('found').innerHTML = found;
    choose(0);
  } catch {
    /* another letter was typed meanwhile */
  }
}

function choose(place) {
  const all = [...document.querySelectorAll('#found a')];
  for (const [i, link] of all.entries()) {
    link.id = 'found-' + i;
    link.setAttribute('aria-selected', String(i === place));
    if (i === place) link.scrollIntoView({ block: 'nearest' });
  }
  document.querySelector('#find input').setAttribute('aria-activedescendant', all.length ? 'found-' + place : '');
}

export function startFind() {
  const dialog = document.getElementById('find');
  if (!dialog) return;
  const input = dialog.querySelector('input');
  let waiting;
  input.addEventListener('input', () => {
    clearTimeout(waiting);
    waiting = setTimeout(() => look(input.value), 80);
  });
  input.addEventListener('keydown', (event) => {
    const all = [...document.querySelectorAll('#found a')];
    const at = all.findIndex((a) => a.getAttribute('aria-selected') === 'true');
    if (event.key === 'ArrowDown') {
      choose(Math.min(all.length - 1, at + 1));
      event.preventDefault();
    } else if (event.key === 'ArrowUp') {
      choose(Math.max(0, at - 1));
      event.preventDefault();
    } else if (event.key === 'Enter') {
      event.preventDefault();
      if (all[at]) location.assign(all[at].href);
    }
  });
  dialog.addEventListener('click', (event) => {
    if (event.target === dialog) dialog.close();
  });
  document.addEventListener('click', (event) => {
    if (event.target.closest('[data-find]')) openFind();
    if (event.target.closest('[data-keys]')) openKeys();
    const theme = event.target.closest('[data-theme-choice]');
    if (theme) {
      const chosen = theme.dataset.themeChoice;
      document.cookie = 'theme=' + chosen + keep;
      if (chosen) document.documentElement.dataset.theme = chosen;
      else delete document.documentElement.dataset.theme;
    }
  });
}
