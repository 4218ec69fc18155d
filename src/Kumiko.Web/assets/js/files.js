import { sendForm, came, latest, partOf, upload } from './ask.js';

// Files that are dropped or chosen are sent one after the other, then how they read is shown.
export function startFiles() {
  for (const zone of document.querySelectorAll('[data-drop]')) {
    if (zone.dataset.ready) continue;
    zone.dataset.ready = 'true';
    startDrop(zone);
  }
  for (const form of document.querySelectorAll('form[data-preview]')) {
    if (form.dataset.ready) continue;
    form.dataset.ready = 'true';
    startPreview(form);
  }
}

function startDrop(zone) {
  const input = zone.querySelector('[data-drop-files]');
  input.addEventListener('change', () => send(zone, [...input.files]));
  zone.addEventListener('dragover', (event) => {
    event.preventDefault();
    zone.classList.add('over');
  });
  zone.addEventListener('dragleave', () => zone.classList.remove('over'));
  zone.addEventListener('drop', (event) => {
    event.preventDefault();
    zone.classList.remove('over');
    send(zone, [...event.dataTransfer.files]);
  });
}

async function send(zone, files) {
  if (files.length === 0 || zone.dataset.busy) return;
  zone.dataset.busy = 'true';
  const told = zone.querySelector('[data-drop-told]');
  const stop = zone.querySelector('[data-drop-stop]');
  const ends = new AbortController();
  stop.hidden = false;
  stop.onclick = () => ends.abort();
  told.className = '';
  let id = 0;
  try {
    for (const file of files) {
      const url = `${zone.dataset.drop}&name=${encodeURIComponent(file.name)}&import=${id}`;
      const token = zone.querySelector('input[name="__RequestVerificationToken"]').value;
      const answer = await upload(url, file, token, ends.signal, (share) => {
        told.textContent = `${file.name}: ${Math.floor(share * 100)} % sent`;
      });
      id = answer.id;
    }
    location.assign(`/sources/import/${id}`);
  } catch (problem) {
    told.textContent = problem.message;
    told.className = 'wrong';
    zone.querySelector('[data-drop-files]').value = '';
  }
  stop.hidden = true;
  delete zone.dataset.busy;
}

// Whoever is typing into a part that is replaced goes on in the new one.
function keepTyping(form, change) {
  const inputs = () => [...form.querySelectorAll('#reading input, #reading select')];
  const at = inputs().indexOf(document.activeElement);
  const typed = document.activeElement.value;
  change();
  const next = at < 0 ? null : inputs()[at];
  if (!next) return;
  if (next.tagName === 'INPUT') next.value = typed;
  next.focus();
}

// What the settings make of the lines is shown as they change.
function startPreview(form) {
  const signal = latest();
  form.addEventListener('change', async (event) => {
    if (event.target.name === 'source') return;
    const pattern = form.elements.pattern;
    pattern?.closest('label').classList.toggle('when-pattern', form.elements.start.value !== 'Pattern');
    const preview = form.querySelector('#reading');
    preview?.setAttribute('aria-busy', 'true');
    try {
      const html = await sendForm(form.dataset.preview, form, signal());
      if (html === null) return;
      keepTyping(form, () => preview?.replaceWith(partOf(html)));
      came(form.querySelector('#reading'));
    } catch {
      // Another change asked again.
    }
  });
}
