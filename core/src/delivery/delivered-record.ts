import { convertedLength } from '../audio/convert/rate-converter.ts';
import { parseSlices, parseSyncPoints, slicesText, syncPointsText } from '../record/marks.ts';
import type { SoundRecord } from '../record/fields.ts';

/** The record that a delivered file carries: marks of a whole sound at the frames of its new rate; none of a part or of what was tried out, where they would be elsewhere. */
export function deliveredRecord(
  record: SoundRecord,
  { isWhole, fromHz, toHz }: { isWhole: boolean; fromHz: number; toHz: number },
): SoundRecord {
  if (!isWhole) return { ...record, slices: '', syncPoints: '' };
  if (fromHz === toHz) return record;
  const moved = (frame: number): number => convertedLength(frame, fromHz, toHz);
  const slices = parseSlices(record.slices).map(({ from, to, name }) => ({ from: moved(from), to: moved(to), name }));
  const points = parseSyncPoints(record.syncPoints).map(({ at, name }) => ({ at: moved(at), name }));
  return {
    ...record,
    // Two ends may fall together at a lower rate.
    slices: slicesText(slices.filter(({ from, to }) => to > from)),
    syncPoints: syncPointsText(points),
  };
}
