import { StreamLanguage } from '@codemirror/language';

// Colours for the query language. The server's parser is what decides; this only paints.
const stages = /^(where|set|select|parse|group|highest|gaps|order|limit|join|union)\b/i;
const openings = /^(with(?=\s+[\w`]+\s*=)|over(?=\s+\d)|earlier(?=\s+\d))/i;
const stageWords =
  /^(all|except|only|with|rest|on|nearest|within|up|to|steps|for|each|last|line|json|logfmt)\b(?!\s*[=<>!~(,.])/i;
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

export const queryLanguage = StreamLanguage.define({
  name: 'kumiko-query',
  startState: () => ({ stage: false, fresh: false, quote: null }),
  token(stream, state) {
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
  },
});
