import picomatch from 'picomatch';

/**
 * Whether a path below a drive's root is meant by the patterns of a folder: globs on paths below that folder, without regard to case; a pattern
 * without a slash is about names anywhere (`*.mp3`, `old takes`). What lies in a folder that is meant is meant with it.
 */
export function pathMatcher(folder: string, patterns: readonly string[]): (path: string) => boolean {
  if (patterns.length === 0) return () => false;
  const options = { nocase: true, dot: true };
  const byName = picomatch(
    patterns.filter((pattern) => !pattern.includes('/')),
    { ...options, basename: true },
  );
  const byPath = picomatch(
    patterns.filter((pattern) => pattern.includes('/')).map((pattern) => pattern.replace(/^\//, '')),
    options,
  );
  const start = folder === '' ? 0 : folder.length + 1;
  return (path) => {
    const parts = path.slice(start).split('/');
    return parts.some((_, index) => {
      const place = parts.slice(0, index + 1).join('/');
      return byName(place) || byPath(place);
    });
  };
}
