import type { DigestAnswer, DigestTask } from './digest-worker.ts';

/** Digests of files of this computer, worked out beside the page. */
export class FileDigests {
  private readonly worker = new Worker(new URL('./digest-worker.ts', import.meta.url), { type: 'module' });
  private readonly waiting = new Map<number, (digest: string | null) => void>();
  private last = 0;

  constructor() {
    this.worker.onmessage = ({ data }: MessageEvent<DigestAnswer>) => this.answer(data.number, data.digest);
    // A worker that cannot work holds nothing up: what is not known beforehand is found out by the server.
    this.worker.onerror = () => {
      for (const number of [...this.waiting.keys()]) this.answer(number, null);
    };
  }

  /** The quick audio digest of a sound, or the SHA-256 of all of a file; null where it cannot be read so. */
  of(file: File, what: DigestTask['what']): Promise<string | null> {
    const number = (this.last += 1);
    return new Promise((resolve) => {
      this.waiting.set(number, resolve);
      this.worker.postMessage({ number, what, file } satisfies DigestTask);
    });
  }

  close(): void {
    this.worker.terminate();
    for (const number of [...this.waiting.keys()]) this.answer(number, null);
  }

  private answer(number: number, digest: string | null): void {
    this.waiting.get(number)?.(digest);
    this.waiting.delete(number);
  }
}
