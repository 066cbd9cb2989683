import { FIELDS, isEmptyValue, sameValue, type FieldName, type SoundRecord } from './fields.ts';
import type { FieldThreeWays } from './three-way.ts';

/** Who wins where record and file of a copy differ: one of the two, the longer text, the one that was changed later, or both together. */
export const WINNERS = ['record', 'file', 'longer', 'newer', 'both'] as const;
export type Winner = (typeof WINNERS)[number];

/** A rule for a field, or for every field that has none of its own. */
export interface SettlingRule {
  field: FieldName | 'any';
  wins: Winner;
}

/** A field in which record and file differ, with when each was changed, in milliseconds since 1970; undefined where that is not known. */
export interface FieldToSettle extends FieldThreeWays {
  recordChangedMs: number | undefined;
  fileChangedMs: number | undefined;
}

export interface Settlement {
  /** What the record becomes. */
  set: Partial<SoundRecord>;
  /** Fields that the record says as it is: it wins, and goes into the file when that is written. */
  kept: FieldName[];
  /** Fields of which somebody has to choose. */
  open: FieldName[];
}

type Value = SoundRecord[FieldName];
/** What comes out for one field; `open` where no rule says anything, or none that can be followed. */
type Outcome = { value: Value } | 'kept' | 'open';

/**
 * Settles the fields in which a record and a file differ. What only the record changed stays; what only the file changed is taken; lists that both changed are merged; for
 * everything else, and in the place of all this where there is one, counts the rule for the field. A field that the file says nothing in any more is never taken: many programs
 * drop what they do not know.
 */
export function settle(fields: readonly FieldToSettle[], rules: readonly SettlingRule[]): Settlement {
  const settled: Settlement = { set: {}, kept: [], open: [] };
  for (const each of fields) {
    const rule = rules.find(({ field }) => field === each.field) ?? rules.find(({ field }) => field === 'any');
    const outcome = outcomeOf(each, rule?.wins);
    if (outcome === 'kept') settled.kept.push(each.field);
    else if (outcome === 'open') settled.open.push(each.field);
    else Object.assign(settled.set, { [each.field]: outcome.value });
  }
  return settled;
}

function outcomeOf(each: FieldToSettle, wins: Winner | undefined): Outcome {
  if (each.standing === 'record' || isEmptyValue(each.file)) return 'kept';
  const byRule = wins === undefined ? 'open' : followed(each, wins);
  const outcome = byRule === 'open' && each.merged !== undefined ? { value: each.merged } : byRule;
  if (typeof outcome === 'string') return outcome;
  if (sameValue(outcome.value, each.record)) return 'kept';
  // Two who each took away what the other left have not said that nothing should be there.
  return isEmptyValue(outcome.value) ? 'open' : outcome;
}

/** What a rule makes of a field that the file changed; `open` where it does not say, such as the longer one of two numbers. */
function followed(each: FieldToSettle, wins: Winner): Outcome {
  const { record, file, recordChangedMs, fileChangedMs } = each;
  const winner = (fileWins: boolean): Outcome => (fileWins ? { value: file } : 'kept');
  switch (wins) {
    case 'record':
    case 'file':
      return winner(wins === 'file');
    case 'longer': {
      const [ours, theirs] = [lengthOf(record), lengthOf(file)];
      return ours === undefined || theirs === undefined || ours === theirs ? 'open' : winner(theirs > ours);
    }
    case 'newer':
      // A record that nobody changed since cannot be the newer one.
      if (each.standing === 'file') return winner(true);
      return recordChangedMs === undefined || fileChangedMs === undefined
        ? 'open'
        : winner(fileChangedMs > recordChangedMs);
    case 'both':
      return bothTogether(each);
  }
}

const lengthOf = (value: Value): number | undefined =>
  typeof value === 'string' || Array.isArray(value) ? value.length : undefined;

/** Lists with what either says, long texts one below the other; what stands in both once. */
function bothTogether({ field, record, file, merged }: FieldToSettle): Outcome {
  if (isEmptyValue(record)) return { value: file };
  if (Array.isArray(record) && Array.isArray(file))
    return { value: (merged as string[] | undefined) ?? [...new Set([...record, ...file])] };
  const isLong = FIELDS.find(({ name }) => name === field)?.kind === 'longText';
  if (!isLong || typeof record !== 'string' || typeof file !== 'string') return 'open';
  const said = record.split('\n');
  const added = file.split('\n').filter((line) => !said.includes(line));
  return added.length === 0 ? 'kept' : { value: [record, ...added].join('\n') };
}
