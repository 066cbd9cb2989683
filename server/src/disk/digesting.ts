import { createHash } from 'node:crypto';
import { Transform, type Readable } from 'node:stream';

/** A stream as it is, with how long it was and its digest, SHA-256, once it was read to its end. */
export function digesting(source: Readable): { stream: Readable; digest: () => string; bytes: () => number } {
  const hash = createHash('sha256');
  let bytes = 0;
  const stream = new Transform({
    transform(block: Buffer, _encoding, done) {
      hash.update(block);
      bytes += block.length;
      done(null, block);
    },
    destroy(error, done) {
      source.destroy();
      done(error);
    },
  });
  source.on('error', (error) => stream.destroy(error));
  source.pipe(stream);
  return { stream, digest: () => hash.digest('hex'), bytes: () => bytes };
}
