import { AppError } from '@flagstone/core/errors';
import { sql } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';

/** By which no two jobs deliver the same at once. */
export const laneOf = (id: number): string => `delivery ${id}`;

/** Throws CONFLICT while a job makes the files of a delivery, or waits to. */
export async function refuseWhileDelivering(db: Queryable, id: number): Promise<void> {
  const { rows } = await db.execute(sql`
    select from jobs where kind = 'deliver' and state in ('waiting', 'running', 'paused') and payload ->> 'deliveryId' = ${String(id)} limit 1`);
  if (rows.length > 0)
    throw new AppError('CONFLICT', 'This delivery is being made now: let it end, or cancel it at Jobs.');
}
