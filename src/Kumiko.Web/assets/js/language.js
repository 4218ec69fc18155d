import { StreamLanguage } from '@codemirror/language';

// Colours for the query language. The server's parser is what decides; this only paints.
const openings = /^(with(?=\s+[\w`]+\s*=)|over(?=\s+\d)|earlier(?=\s+\d))/i;
const words = /^(and|or|not|in|by|as|per|desc|asc|auto|true|false|from|logs)\b(?!\s*[=<>!~])/i;

function inQuotes(stream, state) {
  while (!stream.eol()) {
    const c = stream.next();
    if (c === '\\') stream.next();
    else if (c === state.quote) {
      state.quote = null;
      break;
    }
  }
  return 'string';
}

const oneOf = (words) => `^(${words.join('|')})\\b`;

// Which words begin a stage and can stand in one, the server knows.
export function queryLanguage(stages, stageWords) {
  const stage = new RegExp(oneOf(stages), 'i');
  const stageWord = new RegExp(oneOf(stageWords) + '(?!\\s*[=<>!~(,.])', 'i');
  return StreamLanguage.define({
    name: 'kumiko-query',
    startState: () => ({ stage: false, fresh: false, quote: null }),
    token: (stream, state) => token(stream, state, stage, stageWord),
  });
}

function token(stream, state, stages, stageWords) {
  if (state.quote) return inQuotes(stream, state);
  if (stream.eatSpace()) return null;
  if (stream.match(/^--(\s.*)?$/)) return 'comment';
  const c = stream.peek();
  if (c === '|') {
    stream.next();
    state.stage = true;
    state.fresh = true;
    return 'punctuation';
  }
  if (c === '"' || c === "'") {
    stream.next();
    state.quote = c;
    return inQuotes(stream, state);
  }
  if (c === '`') {
    stream.next();
    stream.skipTo('`');
    stream.next();
    return 'propertyName';
  }
  if (c === '~') {
    stream.next();
    stream.match(/^\s*\/(\\.|[^/\n])*\/[ims]*/);
    return 'regexp';
  }
  if (state.fresh) {
    state.fresh = false;
    if (stream.match(stages)) return 'keyword';
  }
  if (stream.match(words) || stream.match(openings)) return 'keyword';
  if (stream.match(/^:[A-Za-z_][\w.]*\??/)) return 'atom';
  if (state.stage) {
    if (stream.match(stageWords)) return 'keyword';
    if (stream.match(/^[A-Za-z_][\w.]*(?=\()/)) return 'variableName.function';
    if (stream.match(/^\d[\w.%]*/)) return 'number';
    if (stream.match(/^[A-Za-z_][\w.]*/)) return 'propertyName';
    stream.next();
    return null;
  }
  if (stream.match(/^[^\s(),|"'=!<>~]+(?=\s*(=|!=|!~|~|<|>))/)) return 'propertyName';
  if (stream.match(/^[^\s(),|"'=!<>~]+(?=\s+in\s*[(\d.])/i)) return 'propertyName';
  if (stream.match(/^[^\s(),|"'=!<>~]+/)) return null;
  stream.next();
  return null;
}
