import { askHtml } from './ask.js';
import { go } from './go.js';

// A small menu at what somebody points at: a word or a stretch of a body, a row's keys, a bar. The server writes it.
let open = null;

export function closeMenu() {
  open?.remove();
  open = null;
}

export async function showMenu(url, parameters, x, y, returnTo) {
  closeMenu();
  const address = new URL(url, location.href);
  for (const [name, value] of Object.entries(parameters))
    if (value !== undefined && value !== null) address.searchParams.set(name, value);
  const html = await askHtml(address);
  if (html === null) return;
  const menu = document.createElement('div');
  menu.className = 'point-menu';
  menu.setAttribute('role', 'group');
  menu.setAttribute('aria-label', 'What to do with this');
  menu.innerHTML = html;
  closeMenu();
  open = menu;
  (document.querySelector('main') ?? document.body).append(menu);
  const box = menu.getBoundingClientRect();
  menu.style.left = Math.max(4, Math.min(x, innerWidth - box.width - 8)) + 'px';
  menu.style.top = Math.max(4, y + box.height + 8 > innerHeight ? y - box.height - 8 : y + 8) + 'px';
  const links = [...menu.querySelectorAll('a')];
  if (returnTo) links[0]?.focus();
  menu.addEventListener('click', (event) => {
    const link = event.target.closest('a');
    if (!link || event.ctrlKey || event.metaKey || event.shiftKey) return;
    if (link.target !== '_blank') {
      event.preventDefault();
      go(link.getAttribute('href'));
    }
    closeMenu();
  });
  menu.addEventListener('keydown', (event) => {
    const at = links.indexOf(document.activeElement);
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      links[(at + (event.key === 'ArrowDown' ? 1 : links.length - 1)) % links.length]?.focus();
      event.preventDefault();
    } else if (event.key === 'Escape') {
      closeMenu();
      returnTo?.focus();
      event.stopPropagation();
    }
  });
}

export function startMenus() {
  document.addEventListener('mouseup', (event) => {
    if (open?.contains(event.target)) return;
    const selection = getSelection();
    const text = selection.toString().trim();
    const at = selection.anchorNode?.parentElement?.closest('.record .body, .unfolded pre, .unfolded .tree');
    if (!text || !at || selection.isCollapsed) return;
    const record = at.closest('[data-record]')?.dataset.record;
    const url = at.closest('[data-menu-url]')?.dataset.menuUrl;
    if (url) showMenu(url, { text: text.slice(0, 501), record }, event.clientX, event.clientY);
  });
  // Marking text in a row is no click on it.
  document.addEventListener('click', (event) => {
    if (event.target.closest('.record > summary') && !getSelection().isCollapsed && getSelection().toString().trim())
      event.preventDefault();
  });
  document.addEventListener('pointerdown', (event) => {
    if (open && !open.contains(event.target)) closeMenu();
  });
  document.addEventListener('keydown', (event) => {
    if (event.key === 'Escape') closeMenu();
  });
  document.addEventListener('click', (event) => {
    const point = event.target.closest('[data-point]');
    if (!point) return;
    const condition = point.closest('[data-condition]')?.dataset.condition;
    const url = point.closest('[data-menu-url]')?.dataset.menuUrl;
    if (!condition || !url) return;
    event.preventDefault();
    const box = point.getBoundingClientRect();
    showMenu(url, { condition }, box.left, box.bottom, point);
  });
}
