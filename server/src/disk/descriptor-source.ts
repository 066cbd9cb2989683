import { readSync } from 'node:fs';
import type { ByteSource } from '@flagstone/core/formats/byte-source';

/** An open file as a source with synchronous reads, for worker threads and programs that do nothing else: no thread pool in between. */
export function descriptorSource(descriptor: number, sizeBytes: number): ByteSource {
  return {
    sizeBytes,
    read(offset, length) {
      const bytes = new Uint8Array(Math.max(0, Math.min(length, sizeBytes - offset)));
      let filled = 0;
      while (filled < bytes.length) {
        const count = readSync(descriptor, bytes, filled, bytes.length - filled, offset + filled);
        if (count === 0) break;
        filled += count;
      }
      return Promise.resolve(bytes.subarray(0, filled));
    },
  };
}
