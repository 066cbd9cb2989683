/** The first letters of the first and the last part of a name, as “OV”; of a name with one part its first letter. */
export function initialsOf(name: string): string {
  const parts = name.split(/\s+/).filter((part) => part !== '');
  const ends = parts.length > 1 ? [parts[0], parts.at(-1)] : parts;
  return ends.map((part) => [...(part ?? '')][0]?.toUpperCase() ?? '').join('');
}
