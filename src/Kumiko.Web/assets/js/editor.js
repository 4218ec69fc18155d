import { EditorView, keymap, Decoration, placeholder, drawSelection, hoverTooltip, tooltips } from '@codemirror/view';
import {
  autocompletion,
  completionKeymap,
  completionStatus,
  acceptCompletion,
  moveCompletionSelection,
  selectedCompletionIndex,
} from '@codemirror/autocomplete';
import { EditorState, StateEffect, StateField } from '@codemirror/state';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { syntaxHighlighting, HighlightStyle, bracketMatching } from '@codemirror/language';
import { tags } from '@lezer/highlight';
import { askJson } from './ask.js';
import { go } from './go.js';
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
          const ranges = found.value
            .map((r) => ({
              from: Math.min(r.from, Math.max(0, length - 1)),
              to: Math.min(Math.max(r.to, r.from + 1), length),
              message: r.message,
            }))
            .filter((r) => r.to > r.from)
            .sort((a, b) => a.from - b.from)
            .map((r) =>
              Decoration.mark({ class: className, attributes: r.message ? { title: r.message } : {} }).range(r.from, r.to),
            );
          value = Decoration.set(ranges);
        }
      return value;
    },
    provide: (field) => EditorView.decorations.from(field),
  });
}

function fragment(handler) {
  const url = new URL(document.getElementById('state').dataset.fragment, location.href);
  url.searchParams.set('handler', handler);
  return url;
}

// What the server offers at the caret: fields with presence, values with counts, functions, stages.
async function complete(context) {
  const before = context.state.sliceDoc(Math.max(0, context.pos - 1), context.pos);
  if (!context.explicit && !/[\w.@:\-"'=(,|<>~` ]/.test(before)) return null;
  // A blank alone opens nothing, unless it stands behind an operator, a pipe or a word that wants something.
  if (
    !context.explicit &&
    before === ' ' &&
    !/([=<>(,|]|\b(by|in|from|join|union|and|or|not|where|on))\s$/i.test(context.state.sliceDoc(0, context.pos))
  )
    return null;
  const url = fragment('Complete');
  url.searchParams.delete('q');
  url.searchParams.set('text', context.state.doc.toString());
  url.searchParams.set('caret', context.pos);
  const stop = new AbortController();
  // What was asked for a text that changed since is dropped: an answer of nothing to it would end the asking until the next key.
  context.addEventListener('abort', () => stop.abort(), { onDocChange: true });
  try {
    const found = await askJson(url, stop.signal);
    return found?.options.length ? { from: found.from, to: found.to, options: found.options, filter: false } : null;
  } catch {
    return null;
  }
}

// Tab takes the chosen one, or the first; without a list it leaves the editor as everywhere.
function takeCompletion(view) {
  const status = completionStatus(view.state);
  if (status !== 'active') return status !== null;
  if (selectedCompletionIndex(view.state) === null) moveCompletionSelection(true)(view);
  acceptCompletion(view);
  return true;
}

const helps = new Map();

async function helpFor(word) {
  if (helps.has(word)) return helps.get(word);
  const url = fragment('Help');
  url.searchParams.set('word', word);
  const help = (await askJson(url)) ?? {};
  if (helps.size > 200) helps.clear();
  helps.set(word, help);
  return help;
}

function wordAt(state, pos) {
  const line = state.doc.lineAt(pos);
  let from = pos - line.from,
    to = from;
  while (from > 0 && /[\w.]/.test(line.text[from - 1])) from--;
  while (to < line.text.length && /[\w.]/.test(line.text[to])) to++;
  return { from: line.from + from, to: line.from + to, text: line.text.slice(from, to) };
}

const hover = hoverTooltip(async (view, pos) => {
  const word = wordAt(view.state, pos);
  if (!word.text) return null;
  const help = await helpFor(word.text);
  if (!help.title) return null;
  return {
    pos: word.from,
    end: word.to,
    above: false,
    create() {
      const dom = document.createElement('div');
      dom.className = 'help-tip';
      dom.append(Object.assign(document.createElement('code'), { textContent: help.title }), ' ' + help.text);
      return { dom };
    },
  };
});

// The line below the query says what the word at the caret means.
let helping;
function helpLine() {
  clearTimeout(helping);
  helping = setTimeout(async () => {
    const line = document.getElementById('help-line');
    if (!line || !view) return;
    const word = wordAt(view.state, view.state.selection.main.head).text;
    const help = word && view.hasFocus ? await helpFor(word) : {};
    line.replaceChildren();
    if (help.title) line.append(Object.assign(document.createElement('code'), { textContent: help.title }), ' ' + help.text);
  }, 200);
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
        keymap.of([
          {
            key: 'Mod-Enter',
            run: () => {
              form.requestSubmit();
              return true;
            },
          },
          { key: 'Tab', run: takeCompletion },
          ...completionKeymap,
          {
            key: 'Escape',
            run: (view) => {
              view.contentDOM.blur();
              return true;
            },
          },
          ...defaultKeymap.filter((k) => k.key !== 'Mod-Enter'),
          ...historyKeymap,
        ]),
        autocompletion({
          override: [complete],
          selectOnOpen: false,
          icons: false,
          closeOnBlur: true,
          activateOnTypingDelay: 60,
          interactionDelay: 0,
          maxRenderedOptions: 60,
          optionClass: (option) => 'option-' + option.type,
        }),
        tooltips({ position: 'fixed', parent: document.querySelector('main') }),
        hover,
        history(),
        drawSelection(),
        bracketMatching(),
        EditorView.lineWrapping,
        EditorView.cspNonce.of(document.querySelector('meta[name=csp-nonce]').content),
        EditorView.contentAttributes.of({ 'aria-label': 'Query text', spellcheck: 'false' }),
        placeholder(area.placeholder),
        queryLanguage(box.dataset.stages.split(' '), box.dataset.stageWords.split(' ')),
        syntaxHighlighting(colours),
        marks(setErrors, 'cm-wrong'),
        marks(setFlash, 'cm-flash'),
        EditorView.updateListener.of((update) => {
          if (update.selectionSet || update.focusChanged) helpLine();
          if (!update.docChanged) return;
          area.value = update.state.doc.toString();
          clearTimeout(checking);
          checking = setTimeout(check, 250);
        }),
      ],
    }),
  });
  area.hidden = true;
  form.addEventListener('submit', (event) => {
    // The address is written by script, so that it holds only what differs from the default.
    event.preventDefault();
    area.value = view.state.doc.toString();
    const state = document.getElementById('state');
    const url = new URL(location.href);
    url.searchParams.delete('at');
    url.searchParams.delete('when');
    if (area.value.trim()) url.searchParams.set('q', area.value);
    else url.searchParams.delete('q');
    for (const name of [...url.searchParams.keys()]) if (name.startsWith('p.')) url.searchParams.delete(name);
    for (const input of document.querySelectorAll('#parameters input'))
      if (input.value) url.searchParams.set(input.name, input.value);
    if (!url.searchParams.has('from') && state.dataset.from !== '-3h') {
      url.searchParams.set('from', state.dataset.from);
      url.searchParams.set('to', state.dataset.to);
    }
    go(url.pathname + url.search);
  });
}

// The server says what is wrong while one types; the sentence stands below, the place is underlined.
async function check() {
  const text = view.state.doc.toString();
  const found = await askJson('/search?handler=Check&q=' + encodeURIComponent(text.slice(0, 16385)));
  if (!found || text !== view.state.doc.toString()) return;
  view.dispatch({ effects: setErrors.of(found.errors) });
  document
    .getElementById('typed')
    .replaceChildren(
      ...found.errors.map((e) => line('error', e.message)),
      ...(found.mended ? [mend(found.mended)] : []),
      ...found.hints.map((h) => line('hint', h.message)),
    );
}

// What is wrong with the text is known to be written otherwise now: one click writes it so.
function mend(text) {
  const button = document.createElement('button');
  button.type = 'button';
  button.className = 'mend';
  button.textContent = 'Write it so';
  button.title = text;
  button.addEventListener('click', () => {
    view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } });
    view.focus();
    check();
  });
  return button;
}

function line(className, text) {
  const p = document.createElement('p');
  p.className = className;
  p.textContent = text;
  return p;
}

export function focusEditor() {
  view?.focus();
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
    view.dispatch({
      changes: { from, to: old.length - end, insert: text.slice(from, text.length - end) },
      effects: setFlash.of([{ from, to: text.length - end }]),
    });
    setTimeout(() => view.dispatch({ effects: setFlash.of([]) }), 1200);
  }
  const wrong = [...state.querySelectorAll('[data-start]')].map((p) => ({
    from: +p.dataset.start,
    to: +p.dataset.end,
    message: p.textContent,
  }));
  view.dispatch({ effects: setErrors.of(wrong) });
}
