import { EditorView, keymap, Decoration, placeholder, drawSelection } from '@codemirror/view';
import { EditorState, StateEffect, StateField } from '@codemirror/state';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { syntaxHighlighting, HighlightStyle, bracketMatching } from '@codemirror/language';
import { tags } from '@lezer/highlight';
import { queryLanguage } from './language.js';

const colours = HighlightStyle.define([
  { tag: tags.keyword, color: 'var(--indigo)', fontWeight: '700' },
  { tag: tags.propertyName, color: 'var(--teal-ink)' },
  { tag: tags.string, color: 'var(--string-ink)' },
  { tag: tags.regexp, color: 'var(--string-ink)' },
  { tag: tags.comment, color: 'var(--ink-soft)', fontStyle: 'italic' },
  { tag: tags.function(tags.name), color: 'var(--indigo)' },
]);

const setErrors = StateEffect.define();
const setFlash = StateEffect.define();

function marks(effect, className) {
  return StateField.define({
    create: () => Decoration.none,
    update(value, transaction) {
      value = value.map(transaction.changes);
      for (const found of transaction.effects)
        if (found.is(effect)) {
          const length = transaction.state.doc.length;
          const ranges = found.value.map(r => ({ from: Math.min(r.from, Math.max(0, length - 1)), to: Math.min(Math.max(r.to, r.from + 1), length), message: r.message }))
            .filter(r => r.to > r.from).sort((a, b) => a.from - b.from)
            .map(r => Decoration.mark({ class: className, attributes: r.message ? { title: r.message } : {} }).range(r.from, r.to));
          value = Decoration.set(ranges);
        }
      return value;
    },
    provide: field => EditorView.decorations.from(field),
  });
}

let view;
let checking;
let shown = null;

export function startEditors() {
  const box = document.querySelector('[data-editor]');
  if (!box || box.dataset.ready) return;
  box.dataset.ready = 'true';
  const area = box.querySelector('textarea');
  const form = area.form;
  view = new EditorView({
    parent: box,
    state: EditorState.create({
      doc: area.value,
      extensions: [
        keymap.of([{ key: 'Mod-Enter', run: () => { form.requestSubmit(); return true; } }, ...defaultKeymap.filter(k => k.key !== 'Mod-Enter'), ...historyKeymap]),
        history(), drawSelection(), bracketMatching(), EditorView.lineWrapping,
        EditorView.cspNonce.of(document.querySelector('meta[name=csp-nonce]').content),
        EditorView.contentAttributes.of({ 'aria-label': 'Query text', spellcheck: 'false' }),
        placeholder(area.placeholder),
        queryLanguage, syntaxHighlighting(colours),
        marks(setErrors, 'cm-wrong'), marks(setFlash, 'cm-flash'),
        EditorView.updateListener.of(update => {
          if (!update.docChanged) return;
          area.value = update.state.doc.toString();
          clearTimeout(checking);
          checking = setTimeout(check, 250);
        }),
      ],
    }),
  });
  area.hidden = true;
  form.addEventListener('submit', event => {
    // The address is written by script, so that it holds only what differs from the default.
    event.preventDefault();
    area.value = view.state.doc.toString();
    const state = document.getElementById('state');
    const url = new URL(location.href);
    url.searchParams.delete('at');
    url.searchParams.delete('when');
    if (area.value.trim()) url.searchParams.set('q', area.value); else url.searchParams.delete('q');
    for (const name of [...url.searchParams.keys()]) if (name.startsWith('p.')) url.searchParams.delete(name);
    for (const input of document.querySelectorAll('#parameters input')) if (input.value) url.searchParams.set(input.name, input.value);
    if (!url.searchParams.has('from') && state.dataset.from !== '-3h') { url.searchParams.set('from', state.dataset.from); url.searchParams.set('to', state.dataset.to); }
    window.kumikoGo(url.pathname + url.search);
  });
}

// The server says what is wrong while one types; the sentence stands below, the place is underlined.
async function check() {
  const text = view.state.doc.toString();
  const response = await fetch('/search?handler=Check&q=' + encodeURIComponent(text.slice(0, 16385)), { headers: { Accept: 'application/json' } });
  if (!response.ok || text !== view.state.doc.toString()) return;
  const found = await response.json();
  view.dispatch({ effects: setErrors.of(found.errors) });
  document.getElementById('typed').replaceChildren(...found.errors.map(e => line('error', e.message)), ...found.hints.map(h => line('hint', h.message)));
}

function line(className, text) {
  const p = document.createElement('p');
  p.className = className;
  p.textContent = text;
  return p;
}

// After a swap: the text that pointing wrote comes into the editor, and the place that changed flashes.
export function showQuery() {
  const state = document.getElementById('state');
  if (!view || !state || !document.body.contains(view.dom)) return;
  const text = state.dataset.q ?? '';
  // Parts of a page arrive while somebody types the next question; only another answer's query comes in.
  if (text === shown) return;
  shown = text;
  const old = view.state.doc.toString();
  if (text !== old) {
    let from = 0;
    while (from < Math.min(old.length, text.length) && old[from] === text[from]) from++;
    let end = 0;
    while (end < Math.min(old.length, text.length) - from && old[old.length - 1 - end] === text[text.length - 1 - end]) end++;
    view.dispatch({ changes: { from, to: old.length - end, insert: text.slice(from, text.length - end) }, effects: setFlash.of([{ from, to: text.length - end }]) });
    setTimeout(() => view.dispatch({ effects: setFlash.of([]) }), 1200);
  }
  const wrong = [...state.querySelectorAll('[data-start]')].map(p => ({ from: +p.dataset.start, to: +p.dataset.end, message: p.textContent }));
  view.dispatch({ effects: setErrors.of(wrong) });
}
