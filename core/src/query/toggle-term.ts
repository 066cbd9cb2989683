import { parseQuery, printQuery, type QueryNode } from './search-query.ts';

type FieldNode = Extract<QueryNode, { kind: 'field' }>;

/** The alternatives of a part that asks about one field alone; undefined for another part. */
function alternativesOf(part: QueryNode): FieldNode[] | undefined {
  if (part.kind === 'field') return [part];
  if (part.kind !== 'any') return undefined;
  const fields = part.parts.filter((each): each is FieldNode => each.kind === 'field');
  return fields.length === part.parts.length && fields.every(({ field }) => field === fields[0]?.field)
    ? fields
    : undefined;
}

function termOf(term: string): FieldNode | undefined {
  const { query } = parseQuery(term);
  const [part] = query.kind === 'all' ? query.parts : [];
  return part?.kind === 'field' ? part : undefined;
}

/** Tells of terms whether a search line asks for them, alone or among other values of the same field; the line is read once. */
export function termsIn(line: string): (term: string) => boolean {
  const { query } = parseQuery(line);
  const asked = new Set(
    query.kind === 'all' ? query.parts.flatMap((part) => (alternativesOf(part) ?? []).map(printQuery)) : [],
  );
  return (term) => {
    const wanted = asked.size > 0 ? termOf(term) : undefined;
    return wanted !== undefined && asked.has(printQuery(wanted));
  };
}

/**
 * The search line with a term of a field put in, beside other values of the same field as one of them, or taken out when it is there; everything
 * else means what it meant. A term that is none leaves the line as it is.
 */
export function toggleTerm(line: string, term: string): string {
  const { query } = parseQuery(line);
  const wanted = termOf(term);
  if (!wanted || query.kind !== 'all') return line;
  const printed = printQuery(wanted);
  const parts: QueryNode[] = [];
  let done = false;
  for (const part of query.parts) {
    const alternatives = alternativesOf(part);
    if (done || alternatives?.[0]?.field !== wanted.field) {
      parts.push(part);
      continue;
    }
    done = true;
    const others = alternatives.filter((each) => printQuery(each) !== printed);
    const next = others.length < alternatives.length ? others : [...alternatives, wanted];
    if (next.length > 0) parts.push({ ...part, kind: 'any', parts: next });
  }
  if (!done) parts.push(wanted);
  return printQuery({ ...query, parts });
}

/** The search line without what it asks of one field alone; undefined when it asks nothing of it. */
export function withoutField(line: string, field: string): string | undefined {
  const { query } = parseQuery(line);
  if (query.kind !== 'all') return undefined;
  const parts = query.parts.filter((part) => alternativesOf(part)?.[0]?.field !== field);
  return parts.length === query.parts.length ? undefined : printQuery({ ...query, parts });
}
