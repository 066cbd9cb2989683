import { createHash, randomUUID } from 'node:crypto';
import { SHEET_FORMAT, SHEET_VERSION, type SheetManifest } from '@flagstone/contract/change-sheet';
import { storedZip } from './server/stored-zip.ts';

/** A change sheet of the given files, with a manifest that fits them and says what is given, without a signature. */
export function handmadeSheet(files: Record<string, Buffer | string>, said: Partial<SheetManifest> = {}): Buffer {
  const lines = String(files['records.jsonl'] ?? '')
    .split('\n')
    .filter((line) => line !== '');
  const manifest: SheetManifest = {
    format: SHEET_FORMAT,
    version: SHEET_VERSION,
    id: randomUUID(),
    madeAt: '2026-11-01T10:00:00Z',
    madeBy: 'Ines Talbot',
    forWhom: '',
    isUpdate: false,
    sounds: lines.length,
    files: Object.entries(files).map(([name, content]) => ({
      name,
      bytes: Buffer.byteLength(content),
      sha256: createHash('sha256').update(content).digest('hex'),
    })),
    ...said,
    house: { id: randomUUID(), name: 'Weir Mill', ...said.house, publicKey: null },
  };
  return storedZip({ 'manifest.json': JSON.stringify(manifest), ...files });
}
