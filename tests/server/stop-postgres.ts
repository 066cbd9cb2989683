import { rm } from 'node:fs/promises';

/** Stops the server of start-postgres.ts and removes its folder. */
export default async function stopPostgres(): Promise<void> {
  await (globalThis as unknown as { stopTestPostgres: () => Promise<void> }).stopTestPostgres();
  await rm(process.env['FLAGSTONE_TEST_FOLDER'] ?? '', { recursive: true, force: true });
}
