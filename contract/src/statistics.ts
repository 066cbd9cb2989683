import { FIELD_NAMES } from '@flagstone/core/record/fields';
import { z } from 'zod';
import { as, endpoint } from './endpoint.ts';

/** A bar of a chart whose value opens a list: `range` as the lists' filters take it. */
const bandSchema = z.object({ label: z.string(), range: z.string(), count: z.number() });

/** The catalogue in numbers. */
export const statisticsSchema = z.object({
  filed: z.number(),
  measured: z.number(),
  /** Largest first. */
  categories: z.array(z.object({ category: z.string(), count: z.number() })),
  /** How many filed sounds have a value in each field. */
  completeness: z.array(z.object({ field: z.enum(FIELD_NAMES), filled: z.number() })),
  lengths: z.array(bandSchema),
  loudness: z.array(bandSchema),
  /** Filed sounds in all, at the end of each day on which some were added. */
  growth: z.array(z.object({ day: z.string(), total: z.number() })),
  /** Copies of filed sounds by state; of those that are gone, all that stand among the lost files. */
  notInStep: z.object({
    behind: z.number(),
    ahead: z.number(),
    split: z.number(),
    gone: z.number(),
    damaged: z.number(),
  }),
});
export type Statistics = z.infer<typeof statisticsSchema>;

export const statisticsEndpoints = {
  getStatistics: endpoint('GET', '/statistics', { needs: as('listener', 'anything'), response: statisticsSchema }),
  countAdded: endpoint('GET', '/added', {
    needs: as('listener', 'anything'),
    query: z.object({ since: z.iso.datetime() }),
    response: z.object({ filed: z.number(), inPreparation: z.number() }),
  }),
};
