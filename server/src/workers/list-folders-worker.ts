import { listFolders } from '../disk/list-folders.ts';

/** Lists folders in a thread: a drive that does not answer stops nobody else. */
export default listFolders;
