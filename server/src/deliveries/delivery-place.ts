import path from 'node:path';
import { targetFolder } from '@flagstone/core/delivery/target-name';
import type { DeliveryRow } from '../db/deliveries-schema.ts';

/** The folder of a bag in which its files lie (RFC 8493 §2.1.2). */
export const PAYLOAD = 'data';

/** Where a delivery puts its files: below `root`; a bag has a folder of its own around that. */
export function placeOf(
  { id, name, profile }: Pick<DeliveryRow, 'id' | 'name' | 'profile'>,
  folder: string,
): { root: string; bag: string | undefined } {
  if (profile.packing !== 'bag') return { root: folder, bag: undefined };
  const bag = path.join(folder, targetFolder(name, profile.nameRules) || `delivery ${id}`);
  return { root: path.join(bag, PAYLOAD), bag };
}
