import { emptyRecord, type SoundRecord } from '@flagstone/core/record/fields';

/** The record of a numbered take: its texts follow from the number, so that a file that is half of one take and half of another shows. */
export function takeRecord(number: number): SoundRecord {
  return {
    ...emptyRecord(),
    fxName: `Take ${number}`,
    description: `take ${number} `.repeat(1 + (number % 40)).trim(),
    notes: `n${number}`.repeat(number % 200),
    library: `Library ${number}`,
  };
}

/** The number in a record that came from takeRecord; undefined when it did not. */
export function takeNumber(record: Partial<SoundRecord>): number | undefined {
  const match = /^Take (\d+)$/.exec(record.fxName ?? '');
  return match ? Number(match[1]) : undefined;
}
