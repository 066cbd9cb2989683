import { RE2JS } from 're2js';

/**
 * Whether a path below a drive's root is meant by the patterns of a folder: globs on paths below that folder, without regard to case; a pattern
 * without a slash is about names anywhere (`*.mp3`, `old takes`). What lies in a folder that is meant is meant with it. `*` and `?` stand for letters of one
 * name, `**` for folders, `[a-c]` and `{wav,aiff}` for one of several. Matched without backtracking: no pattern takes longer than the path is long.
 */
export function pathMatcher(folder: string, patterns: readonly string[]): (path: string) => boolean {
  if (patterns.length === 0) return () => false;
  const byName = anyOf(patterns.filter((pattern) => !pattern.includes('/')));
  const byPath = anyOf(
    patterns.filter((pattern) => pattern.includes('/')).map((pattern) => pattern.replace(/^\//, '')),
  );
  const start = folder === '' ? 0 : folder.length + 1;
  return (path) => {
    const parts = path.slice(start).split('/');
    return parts.some((name, index) => byName(name) || byPath(parts.slice(0, index + 1).join('/')));
  };
}

function anyOf(patterns: readonly string[]): (text: string) => boolean {
  if (patterns.length === 0) return () => false;
  const whole = RE2JS.compile(`(?:${patterns.map(expressionOf).join('|')})`, RE2JS.CASE_INSENSITIVE | RE2JS.DOTALL);
  return (text) => whole.matches(text);
}

/** A glob as a regular expression. Brackets and braces that are not closed stand for themselves. */
function expressionOf(glob: string): string {
  let expression = '';
  let braces = 0;
  for (let at = 0; at < glob.length; at += 1) {
    const rest = glob.slice(at);
    const letter = String.fromCodePoint(glob.codePointAt(at) ?? 0);
    const set = /^\[([!^]?)([^\]/]+)\]/.exec(rest);
    if (rest.startsWith('**/')) {
      expression += '(?:[^/]+/)*';
      at += 2;
    } else if (rest.startsWith('**')) {
      expression += '.*';
      at += 1;
    } else if (letter === '*') expression += '[^/]*';
    else if (letter === '?') expression += '[^/]';
    else if (letter === '\\' && rest.length > 1) {
      expression += RE2JS.quote(rest[1] ?? '');
      at += 1;
    } else if (set) {
      expression += `[${set[1] === '' ? '' : '^'}${(set[2] ?? '').replace(/[\\[\]^&~]/g, '\\$&')}]`;
      at += set[0].length - 1;
    } else if (letter === '{' && rest.includes('}')) {
      expression += '(?:';
      braces += 1;
    } else if (letter === '}' && braces > 0) {
      expression += ')';
      braces -= 1;
    } else if (letter === ',' && braces > 0) expression += '|';
    else {
      expression += RE2JS.quote(letter);
      at += letter.length - 1;
    }
  }
  return expression + ')'.repeat(braces);
}
