import { FormatError } from '../errors.ts';

/**
 * A small XML reader that remembers where each element stands in the text, so that an edit replaces only the characters it must:
 * comments, unknown elements, order and spacing survive. No document type declaration, so no entities beyond the five of XML 1.0
 * (https://www.w3.org/TR/xml/ §4.6) and character references; bounded depth and size.
 */
export interface XmlElement {
  name: string;
  /** Offsets in the text: the whole element, and its contents between the tags (equal when self-closing). */
  start: number;
  end: number;
  innerStart: number;
  innerEnd: number;
  selfClosing: boolean;
  children: XmlElement[];
}

const MAX_DEPTH = 64;
const MAX_LENGTH = 8 * 1024 * 1024;
const MAX_ELEMENTS = 200_000;

// Tags, comments, CDATA sections, processing instructions and declarations; text between them is skipped.
const MARKUP =
  /<!--[\s\S]*?-->|<!\[CDATA\[[\s\S]*?\]\]>|<\?[\s\S]*?\?>|<![A-Za-z]|<\/([^\s<>/]+)\s*>|<([^\s<>/!?]+)((?:\s+[^\s=<>/]+\s*=\s*(?:"[^"<]*"|'[^'<]*'))*)\s*(\/?)>/gy;

/** The root element. Throws FormatError FORMAT_DAMAGED, with the character offset, when the text is not well-formed. */
export function parseXml(text: string): XmlElement {
  const fail = (why: string, at: number): never => {
    throw new FormatError('FORMAT_DAMAGED', 'XML', `The XML is not well-formed at character ${at}: ${why}.`, at);
  };
  if (text.length > MAX_LENGTH) fail(`it is longer than ${MAX_LENGTH} characters`, 0);
  const open: XmlElement[] = [];
  let root: XmlElement | undefined;
  let count = 0;
  let at = text.indexOf('<');
  while (at >= 0) {
    MARKUP.lastIndex = at;
    const match = MARKUP.exec(text);
    if (!match) return fail('a tag is broken', at);
    const [whole, closing, opening, , slash] = match;
    const end = at + whole.length;
    if (closing !== undefined) {
      const element = open.pop();
      if (!element || element.name !== closing) return fail(`</${closing}> closes nothing`, at);
      element.innerEnd = at;
      element.end = end;
    } else if (opening !== undefined) {
      const selfClosing = slash === '/';
      const element: XmlElement = {
        name: opening,
        start: at,
        end,
        innerStart: end,
        innerEnd: end,
        selfClosing,
        children: [],
      };
      const parent = open.at(-1);
      if (parent) parent.children.push(element);
      else if (root) return fail('there is a second root element', at);
      root ??= element;
      if (!selfClosing) open.push(element);
      if (open.length > MAX_DEPTH) return fail('it is nested too deeply', at);
      count += 1;
      if (count > MAX_ELEMENTS) return fail('it has too many elements', at);
    } else if (/^<![A-Za-z]/.test(whole)) {
      return fail('document type declarations are not accepted', at);
    }
    at = text.indexOf('<', end);
  }
  const unclosed = open.at(-1);
  if (unclosed) return fail(`<${unclosed.name}> is not closed`, unclosed.start);
  return root ?? fail('there is no element', 0);
}

/** The first child of that name. */
export function childOf(element: XmlElement | undefined, name: string): XmlElement | undefined {
  return element?.children.find((child) => child.name === name);
}

const ENTITIES: Record<string, string> = { lt: '<', gt: '>', amp: '&', quot: '"', apos: "'" };

/** The text inside an element, without comments and child elements, entities resolved, trimmed. */
export function textOf(text: string, element: XmlElement): string {
  let inner = '';
  let from = element.innerStart;
  for (const child of element.children) {
    inner += text.slice(from, child.start);
    from = child.end;
  }
  inner += text.slice(from, element.innerEnd);
  return withoutMarkup(inner).trim();
}

const resolved = (text: string): string => text.replace(/&(#x?[0-9a-fA-F]{1,8}|\w{1,10});/g, resolveEntity);

/** What begins and ends a stretch that is no text of its own; of a CDATA section the contents are. */
const STRETCHES = [
  { begin: '<!--', end: '-->', isText: false },
  { begin: '<?', end: '?>', isText: false },
  { begin: '<![CDATA[', end: ']]>', isText: true },
] as const;

/** In one pass, and looking for each end once at most from where it is: nothing is gone through again and again, however the marks are nested. */
function withoutMarkup(inner: string): string {
  let text = '';
  let from = 0;
  const isUnclosed = new Set<string>();
  for (let at = inner.indexOf('<'); at >= 0; at = inner.indexOf('<', at + 1)) {
    const stretch = STRETCHES.find(({ begin }) => inner.startsWith(begin, at));
    if (!stretch || isUnclosed.has(stretch.end)) continue;
    const end = inner.indexOf(stretch.end, at + stretch.begin.length);
    if (end < 0) {
      isUnclosed.add(stretch.end);
      continue;
    }
    text += resolved(inner.slice(from, at));
    if (stretch.isText) text += inner.slice(at + stretch.begin.length, end);
    from = end + stretch.end.length;
    at = from - 1;
  }
  return text + resolved(inner.slice(from));
}

function resolveEntity(whole: string, name: string): string {
  if (!name.startsWith('#')) return ENTITIES[name] ?? whole;
  const code = name.startsWith('#x') ? Number.parseInt(name.slice(2), 16) : Number.parseInt(name.slice(1), 10);
  return code > 0 && code <= 0x10ffff ? String.fromCodePoint(code) : whole;
}

/** Text as it may stand between tags. */
export function escapeXml(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');
}

/** Texts to set by element name (empty removes the element), and groups of them by the name of the group. */
export interface XmlChanges {
  texts: ReadonlyMap<string, string>;
  groups: ReadonlyMap<string, ReadonlyMap<string, string>>;
}

interface Splice {
  start: number;
  end: number;
  insert: string;
}

/** The document with the changes made below its root; everything else keeps its characters. */
export function editXml(text: string, changes: XmlChanges): string {
  const root = parseXml(text);
  const splices: Splice[] = [];
  const appended: string[] = textSplices(text, root, changes.texts, '  ', splices);
  for (const [groupName, texts] of changes.groups) {
    const group = childOf(root, groupName);
    const inner = group ? textSplices(text, group, texts, '    ', splices) : filledLines(texts, '    ');
    if (inner.length === 0) continue;
    if (group && !group.selfClosing) {
      splices.push({
        start: group.innerEnd,
        end: group.innerEnd,
        insert: `${inner.map((line) => line.trimStart()).join('\n    ')}\n  `,
      });
    } else {
      const whole = `<${groupName}>\n${inner.join('\n')}\n  </${groupName}>`;
      if (group) splices.push({ start: group.start, end: group.end, insert: whole });
      else appended.push(`  ${whole}`);
    }
  }
  if (appended.length > 0) {
    const lines = `${appended.join('\n')}\n`;
    if (root.selfClosing)
      splices.push({ start: root.start, end: root.end, insert: `<${root.name}>\n${lines}</${root.name}>` });
    else splices.push({ start: root.innerEnd, end: root.innerEnd, insert: lines });
  }
  return applySplices(text, splices);
}

/** The document with the whole contents of some elements replaced by text; none may lie inside another. */
export function replaceTexts(text: string, changes: ReadonlyMap<XmlElement, string>): string {
  return applySplices(
    text,
    [...changes].map(([element, wanted]) => ({
      start: element.start,
      end: element.end,
      insert: element.selfClosing
        ? `<${element.name}>${escapeXml(wanted)}</${element.name}>`
        : text.slice(element.start, element.innerStart) + escapeXml(wanted) + text.slice(element.innerEnd, element.end),
    })),
  );
}

/** Replaces the texts of children that are there, and returns the lines of those that are not. */
function textSplices(
  text: string,
  parent: XmlElement,
  texts: ReadonlyMap<string, string>,
  indent: string,
  splices: Splice[],
): string[] {
  const missing = new Map(texts);
  for (const child of parent.children) {
    const wanted = texts.get(child.name);
    if (wanted === undefined) continue;
    missing.delete(child.name);
    if (textOf(text, child) === wanted && child.children.length === 0) continue;
    const insert = wanted === '' ? '' : `<${child.name}>${escapeXml(wanted)}</${child.name}>`;
    splices.push({ start: child.start, end: child.end, insert });
  }
  return filledLines(missing, indent);
}

function filledLines(texts: ReadonlyMap<string, string>, indent: string): string[] {
  return [...texts]
    .filter(([, value]) => value !== '')
    .map(([name, value]) => `${indent}<${name}>${escapeXml(value)}</${name}>`);
}

function applySplices(text: string, splices: Splice[]): string {
  return [...splices]
    .sort((a, b) => b.start - a.start || b.end - a.end)
    .reduce((result, splice) => result.slice(0, splice.start) + splice.insert + result.slice(splice.end), text);
}
