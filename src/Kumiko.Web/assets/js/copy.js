// Copies the settings beside a button; where the browser lets nobody copy, it marks them instead.
export function startCopy() {
  document.addEventListener('click', async (event) => {
    const button = event.target.closest('[data-copy]');
    if (!button) return;
    const text = button.parentElement.querySelector('pre');
    try {
      await navigator.clipboard.writeText(text.textContent);
      button.textContent = 'Copied';
    } catch {
      getSelection().selectAllChildren(text);
      button.textContent = 'Marked: press Ctrl+C';
    }
  });
}
