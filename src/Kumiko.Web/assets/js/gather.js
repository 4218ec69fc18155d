// How many patterns are chosen; what needs some is offered only then.
export function startGather() {
  const form = document.querySelector('[data-gather]:not([data-ready])');
  if (!form) return;
  form.dataset.ready = 'true';
  const boxes = () => [...form.querySelectorAll('input[name=pattern]:checked')];
  const tell = () => {
    const chosen = boxes().length;
    form.querySelector('[data-chosen]').textContent = chosen ? `${chosen} chosen` : 'none chosen';
    for (const button of form.querySelectorAll('.gather-acts button')) button.disabled = chosen === 0;
  };
  // What came later is told where the page stands already.
  const came = form.querySelector('[data-gathered]').dataset;
  for (const [id, words] of [
    ['gathered', came.gathered],
    ['total', came.records],
  ])
    if (document.getElementById(id)) document.getElementById(id).textContent = words;
  // Enter at the reason puts aside, and is not the first button of the form.
  form.elements.reason.addEventListener('keydown', (event) => {
    if (event.key !== 'Enter') return;
    event.preventDefault();
    form.querySelector('.aside-form button').click();
  });
  form.addEventListener('change', tell);
  tell();
}
