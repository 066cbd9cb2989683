import { z } from 'zod';
import { endpoint } from './endpoint.ts';

export const personSchema = z.object({ id: z.number(), name: z.string(), initials: z.string() });
export type Person = z.infer<typeof personSchema>;

export const peopleEndpoints = {
  listPeople: endpoint('GET', '/people', { needs: 'nobody', response: z.array(personSchema) }),
};
