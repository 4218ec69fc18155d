import htmx from 'htmx.org/dist/htmx.esm.js';

// What is asked of the server: the only place that fetches.

// Null where it refuses, or where another page came instead, such as that for signing in.
async function ask(url, kind, options) {
  const response = await fetch(url, { headers: { Accept: kind }, ...options });
  return response.ok && !response.redirected ? response : null;
}

export async function askJson(url, signal) {
  return (await ask(url, 'application/json', { signal }))?.json() ?? null;
}

export async function askHtml(url, signal) {
  return (await ask(url, 'text/html', { signal }))?.text() ?? null;
}

// Sends a form and gets a part of a page.
export async function sendForm(url, form, signal) {
  return (await ask(url, 'text/html', { method: 'POST', body: new FormData(form), signal }))?.text() ?? null;
}

// Sends a file as it is, telling how much of it is sent. Fails with a sentence for the person.
export function upload(url, file, token, signal, told) {
  return new Promise((done, failed) => {
    const request = new XMLHttpRequest();
    request.open('POST', url);
    request.setRequestHeader('RequestVerificationToken', token);
    request.setRequestHeader('Content-Type', 'application/octet-stream');
    request.responseType = 'json';
    request.upload.onprogress = (event) => told(event.total ? event.loaded / event.total : 0);
    request.onload = () =>
      request.status === 200 && request.response
        ? done(request.response)
        : failed(new Error(request.response?.error ?? 'The file did not arrive. Try again.'));
    request.onerror = () => failed(new Error('The file did not arrive. Try again.'));
    request.onabort = () => failed(new Error('Stopped. Nothing of this file is kept.'));
    signal.addEventListener('abort', () => request.abort());
    request.send(file);
  });
}

// Each asking ends the one before it.
export function latest() {
  let running;
  return () => {
    running?.abort();
    running = new AbortController();
    return running.signal;
  };
}

export function partOf(html) {
  const template = document.createElement('template');
  template.innerHTML = html;
  return template.content;
}

// Makes what came work like the rest of the page.
export function came(into) {
  if (into) htmx.process(into);
  document.dispatchEvent(new CustomEvent('kumiko:loaded'));
}
