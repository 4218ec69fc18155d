import { askHtml, came, partOf } from './ask.js';

// Parts that come later: at once, when their record is unfolded, or when they scroll into view.
let stop = new AbortController();

// Whoever asks for another view no longer waits for the parts of this one, and the server stops working on them.
export function stopLoading() {
  stop.abort();
  stop = new AbortController();
}

export function startLoading() {
  // A strip whose counts were not there yet comes whole.
  const strip = document.getElementById('strip');
  if (strip?.dataset.later) {
    strip.dataset.load = strip.dataset.later;
    delete strip.dataset.later;
  }
  for (const part of document.querySelectorAll('[data-load]')) {
    if (part.dataset.ready) continue;
    part.dataset.ready = 'true';
    if (part.dataset.loadOn === 'toggle') {
      const details = part.closest('details');
      if (details.open) load(part);
      else details.addEventListener('toggle', () => load(part), { once: true });
    } else if (part.dataset.loadOn === 'reveal') {
      const scroll = scrollerOf(part);
      const watch = new IntersectionObserver(
        (entries) => {
          if (!entries.some((e) => e.isIntersecting)) return;
          watch.disconnect();
          load(part);
        },
        { root: scroll, rootMargin: 'loadAbove' in part.dataset ? '120px' : '600px' },
      );
      watch.observe(part);
    } else if (part.dataset.loadAfter) later(part);
    else load(part);
  }
}

// Parts that renew themselves wait while nobody looks, or somebody is in them.
function later(part) {
  const mine = stop;
  setTimeout(() => {
    if (mine.signal.aborted || !part.isConnected) return;
    if (document.hidden || part.contains(document.activeElement)) later(part);
    else load(part);
  }, Number(part.dataset.loadAfter));
}

// The pane that scrolls; on a narrow window the page itself does.
export function scrollerOf(part) {
  const pane = part.closest('.result, .scroll');
  return pane && getComputedStyle(pane).overflowY !== 'visible' ? pane : null;
}

async function load(part) {
  const mine = stop;
  try {
    const html = await askHtml(part.dataset.load, mine.signal);
    if (html === null) throw new Error(part.dataset.load);
    if (mine.signal.aborted) return;
    const content = partOf(html);
    const parent = part.parentElement;
    if ('loadAbove' in part.dataset) keepPlace(part, () => part.replaceWith(content));
    else part.replaceWith(content);
    came(parent);
  } catch {
    if (mine.signal.aborted) return;
    // What renews itself stays as it was, and is tried again.
    if (part.dataset.loadAfter) {
      later(part);
      return;
    }
    part.replaceChildren(
      Object.assign(document.createElement('p'), {
        className: 'refused',
        textContent: 'This did not arrive. Run the query again.',
      }),
    );
  }
}

// What is being read stays where it is while rows are put above it.
export function keepPlace(at, change) {
  const scroll = scrollerOf(at) ?? document.scrollingElement;
  const before = scroll ? scroll.scrollHeight - scroll.scrollTop : 0;
  change();
  if (scroll) scroll.scrollTop = scroll.scrollHeight - before;
}
