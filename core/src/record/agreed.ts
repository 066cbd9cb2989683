import { FIELD_NAMES, sameValue, type FieldName, type SoundRecord } from './fields.ts';

type Value = SoundRecord[FieldName];

/** A change of a record: what the fields that it changed said before it, and after it. */
export interface RecordChange {
  before: Partial<SoundRecord>;
  after: Partial<SoundRecord>;
}

/**
 * What two houses last agreed on in the fields in which their records differ, as far as their histories tell: who had said before what the other says now changed it, and who
 * still says it did not. Where neither had, the newest value that both once said counts. Fields of which the histories tell nothing, or that went back and forth in both, are left
 * out. Changes stand from the newest to the oldest.
 */
export function agreedByHistories(
  ours: SoundRecord,
  theirs: Partial<SoundRecord>,
  ourChanges: readonly RecordChange[],
  theirChanges: readonly RecordChange[],
): Partial<SoundRecord> {
  const agreed: Partial<Record<FieldName, Value>> = {};
  for (const field of FIELD_NAMES) {
    const [own, other] = [ours[field], theirs[field]];
    if (other === undefined || sameValue(own, other)) continue;
    const [ourPast, theirPast] = [pastValues(field, ourChanges), pastValues(field, theirChanges)];
    const [weHad, theyHad] = [holds(ourPast, other), holds(theirPast, own)];
    if (weHad && theyHad) continue;
    const value = weHad ? other : theyHad ? own : ourPast.find((each) => holds(theirPast, each));
    if (value !== undefined) agreed[field] = value;
  }
  return agreed as Partial<SoundRecord>;
}

/** What a field said before each of its changes, the newest first; what it says now is not among them. */
function pastValues(field: FieldName, changes: readonly RecordChange[]): Value[] {
  return changes.flatMap(({ before }) => (field in before ? [before[field] as Value] : []));
}

const holds = (values: readonly Value[], value: Value): boolean => values.some((each) => sameValue(each, value));
