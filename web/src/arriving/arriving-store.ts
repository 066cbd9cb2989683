import type { Arrival } from '@flagstone/contract/arrivals';
import { useEventListener } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import { call } from '../api/client.ts';
import { counted } from '../ui/format.ts';
import { showError, showingErrors, tell } from '../ui/use-errors.ts';
import { FileDigests } from './file-digests.ts';
import type { GatheredFile, LeftFile } from './gathered-files.ts';
import { sendFiles, type SendingProgress } from './send-files.ts';
import { uploadFile } from './upload-file.ts';

/** What is handed over to be brought in, before somebody said how: files of this computer, or a folder that the server sees. */
export type Offer = { files: GatheredFile[] } | { folder: string };

/** Files that are being sent from this page, or wait for that. */
export interface Outgoing {
  arrival: Arrival;
  files: GatheredFile[];
  left: LeftFile[];
  progress: SendingProgress;
  /** `stopped` where something keeps it from going on, until somebody has it try again. */
  state: 'waiting' | 'sending' | 'paused' | 'stopped';
}

/** Bringing in from this page: it goes on while places change, one batch after the other. */
export const useArriving = defineStore('arriving', () => {
  const offer = shallowRef<Offer>();
  const outgoing = ref<Outgoing[]>([]);
  const isSending = computed(() => outgoing.value.some(({ state }) => state === 'sending'));
  let stop: AbortController | undefined;

  /** Adds files to an arrival and sends them when it is their turn. */
  function send(arrival: Arrival, files: GatheredFile[], left: LeftFile[]): void {
    const progress: SendingProgress = {
      files: files.length,
      doneFiles: 0,
      bytes: 0,
      sentBytes: 0,
      leftOut: 0,
      failed: [],
    };
    for (const { file } of files) progress.bytes += file.size;
    outgoing.value = [
      ...outgoing.value.filter((each) => each.arrival.id !== arrival.id),
      { arrival, files, left, progress, state: 'waiting' },
    ];
    void next();
  }

  const find = (id: number): Outgoing | undefined => outgoing.value.find(({ arrival }) => arrival.id === id);

  async function next(): Promise<void> {
    const one = isSending.value ? undefined : outgoing.value.find(({ state }) => state === 'waiting');
    if (!one) return;
    one.state = 'sending';
    const { id, name } = one.arrival;
    const own = new AbortController();
    stop = own;
    const digests = new FileDigests();
    try {
      const progress = await sendFiles(
        one.files,
        one.left,
        {
          announce: (files) => call('announceFiles', { params: { id }, body: { files } }),
          digest: (file) => digests.of(file, 'whole'),
          upload: uploadFile,
        },
        (now) => (one.progress = now),
        own.signal,
      );
      // A drive that went, or a full one: the rest can come when it is back. Closed now, it would be left out.
      if (progress.failed.length > 0) one.state = 'stopped';
      else {
        await call('finishArrival', { params: { id } });
        outgoing.value = outgoing.value.filter((each) => each !== one);
        const rest =
          progress.leftOut === 0
            ? ''
            : `; ${counted(progress.leftOut, 'file is', 'files are')} left out, and listed with it`;
        tell(
          `“${name}” is sent`,
          `${counted(progress.files - progress.leftOut, 'file')} come into the batch now${rest}.`,
        );
      }
    } catch (error) {
      // Asked for by somebody, who knows.
      if (!own.signal.aborted) {
        one.state = 'stopped';
        showError(error);
      }
    } finally {
      digests.close();
    }
    void next();
  }

  function pause(id: number): void {
    const one = find(id);
    if (!one) return;
    if (one.state === 'sending') stop?.abort(new DOMException('paused', 'AbortError'));
    one.state = 'paused';
  }

  function goOn(id: number): void {
    const one = find(id);
    if (one) one.state = 'waiting';
    void next();
  }

  /** Takes what was sent so far, or gives all of it up. */
  async function close(id: number, how: 'take' | 'giveUp'): Promise<void> {
    pause(id);
    outgoing.value = outgoing.value.filter(({ arrival }) => arrival.id !== id);
    const params = { id };
    await showingErrors(async () => {
      if (how === 'take') await call('finishArrival', { params });
      else await call('giveUpArrival', { params });
    });
    void next();
  }

  // A page that is closed sends nothing more; dropped again, the files go on where they were.
  useEventListener(window, 'beforeunload', (event) => {
    if (outgoing.value.length > 0) event.preventDefault();
  });

  return { offer, outgoing, isSending, send, pause, goOn, close, find };
});
