import { defineStore } from 'pinia';
import { ref } from 'vue';
import { call } from '../api/client.ts';
import { showingErrors } from '../ui/use-errors.ts';

/** What drives and the folders that were read from them are called, for whoever knows their numbers alone. */
export const useDriveNames = defineStore('driveNames', () => {
  const drives = ref<ReadonlyMap<string, string>>(new Map());
  const folders = ref<ReadonlyMap<number, string>>(new Map());

  async function load(): Promise<void> {
    await showingErrors(async () => {
      const [known, read] = await Promise.all([call('listDrives'), call('listReadFolders')]);
      drives.value = new Map(known.map(({ id, name }) => [id, name]));
      folders.value = new Map(read.map(({ id, path }) => [id, path]));
    });
  }

  const nameOf = (id: string): string => drives.value.get(id) ?? 'a drive';
  const folderOf = (id: number): string => {
    const folder = folders.value.get(id);
    return folder === '' ? 'the whole drive' : (folder ?? 'a folder');
  };

  return { drives, load, nameOf, folderOf };
});
