/** The texts of a bag (RFC 8493, “The BagIt File Packaging Format (V1.0)”). */

/** What says that a folder is a bag (§2.1.1). */
export const BAG_DECLARATION = 'BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n';

/** One line of a manifest (§2.1.3): a digest in hexadecimal, and a path below the bag with `/` between its parts. */
export function manifestLine(digest: string, path: string): string {
  // Line ends and the sign that says so itself, and nothing else, are percent-encoded.
  return `${digest}  ${path.replaceAll('%', '%25').replaceAll('\r', '%0D').replaceAll('\n', '%0A')}\n`;
}

/** `bag-info.txt` (§2.2.2): labels with their values, each of one line; empty ones are left out. */
export function bagInfo(values: Readonly<Record<string, string>>): string {
  return Object.entries(values)
    .map(([label, value]) => [label, value.replace(/\s+/g, ' ').trim()] as const)
    .filter(([, value]) => value !== '')
    .map(([label, value]) => `${label}: ${value}\n`)
    .join('');
}

/** How many octets and how many files a bag holds (§2.2.2). */
export function payloadOxum(bytes: number, files: number): string {
  return `${bytes}.${files}`;
}
