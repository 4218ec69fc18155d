// While a rule is filled in, it is tried on the past day.
export function startTrial() {
  const form = document.querySelector('form[data-trial]');
  if (!form || form.dataset.ready) return;
  form.dataset.ready = 'true';
  let waiting, running;
  form.addEventListener('input', () => {
    clearTimeout(waiting);
    waiting = setTimeout(async () => {
      running?.abort();
      running = new AbortController();
      const box = document.getElementById('trial');
      box.setAttribute('aria-busy', 'true');
      try {
        const response = await fetch(location.pathname + '?handler=Trial', { method: 'POST', body: new FormData(form), signal: running.signal });
        if (!response.ok) throw new Error(String(response.status));
        const template = document.createElement('template');
        template.innerHTML = await response.text();
        box.replaceChildren(template.content);
        box.removeAttribute('aria-busy');
        document.dispatchEvent(new CustomEvent('kumiko:loaded'));
      } catch (e) {
        if (e.name !== 'AbortError') box.textContent = 'The trial did not arrive. Change a value to try again.';
      }
    }, 350);
  });
}
