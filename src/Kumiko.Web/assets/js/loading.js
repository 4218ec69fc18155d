// Parts that come later: at once, when their record is unfolded, or when they scroll into view.
export function startLoading() {
  for (const part of document.querySelectorAll('[data-load]')) {
    if (part.dataset.ready) continue;
    part.dataset.ready = 'true';
    if (part.dataset.loadOn === 'toggle') {
      const details = part.closest('details');
      if (details.open) load(part);
      else details.addEventListener('toggle', () => load(part), { once: true });
    } else if (part.dataset.loadOn === 'reveal') {
      const watch = new IntersectionObserver(entries => {
        if (!entries.some(e => e.isIntersecting)) return;
        watch.disconnect();
        load(part);
      }, { rootMargin: '400px' });
      watch.observe(part);
    } else load(part);
  }
}

async function load(part) {
  try {
    const response = await fetch(part.dataset.load, { headers: { Accept: 'text/html' } });
    if (response.redirected || !response.ok) throw new Error(String(response.status));
    const template = document.createElement('template');
    template.innerHTML = await response.text();
    const parent = part.parentElement;
    part.replaceWith(template.content);
    window.htmx.process(parent);
    document.dispatchEvent(new CustomEvent('kumiko:loaded'));
  } catch {
    part.replaceChildren(Object.assign(document.createElement('p'), { className: 'refused', textContent: 'This did not arrive. Run the query again.' }));
  }
}
