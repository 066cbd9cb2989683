import { FormatError, type Issue } from '../errors.ts';
import type { FoundText } from './field-places.ts';
import { decodeUtf8 } from './text-encoding.ts';
import { parseXml, replaceTexts, textOf, type XmlElement } from './xml-document.ts';

/** XMP packets (ISO 16684-1) in a `_PMX` chunk: the Dublin Core properties, read, and kept to the record where they are there already. */
const PROPERTIES = ['dc:title', 'dc:description', 'dc:creator', 'dc:rights'];

/** The innermost element that holds a property's first text: its first rdf:li, or itself. */
function holderOf(property: XmlElement): XmlElement {
  const [inner] = property.children;
  return inner ? holderOf(inner) : property;
}

function properties(root: XmlElement): Map<string, XmlElement> {
  const found = new Map<string, XmlElement>();
  const visit = (element: XmlElement): void => {
    if (PROPERTIES.includes(element.name) && !found.has(element.name)) found.set(element.name, holderOf(element));
    else element.children.forEach(visit);
  };
  visit(root);
  return found;
}

/** The texts by property; a packet that is not well-formed gives none, and an issue. */
export function parseXmp(
  contents: Uint8Array,
  offsetBytes: number,
): { value: Map<string, FoundText>; issues: Issue[] } {
  try {
    const text = packetText(contents);
    const found = [...properties(parseXml(text))].map(
      ([name, element]) => [name, { text: textOf(text, element), offsetBytes }] as const,
    );
    return { value: new Map(found), issues: [] };
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    const message = `The XMP packet cannot be read: ${error.message}`;
    return { value: new Map(), issues: [{ code: 'XMP_INVALID', message, offsetBytes }] };
  }
}

function packetText(contents: Uint8Array): string {
  const text = decodeUtf8(contents);
  if (text === undefined) throw new FormatError('FORMAT_DAMAGED', 'XMP', 'it is not UTF-8.', 0);
  return text;
}

/** The packet with the texts of properties that it has replaced; all else keeps its characters. */
export function writeXmp(contents: Uint8Array, texts: ReadonlyMap<string, string>): Uint8Array<ArrayBuffer> {
  const text = packetText(contents);
  const changes = new Map<XmlElement, string>();
  for (const [name, element] of properties(parseXml(text))) {
    const wanted = texts.get(name);
    if (wanted !== undefined && wanted !== textOf(text, element)) changes.set(element, wanted);
  }
  return new TextEncoder().encode(replaceTexts(text, changes));
}
