/** The folder in the root of each drive to which files are set aside; it is not read with the drive. */
export const SET_ASIDE_FOLDER = 'Set aside by Flagstone';

/** Where files of a folder are set aside. */
export function setAsideFolderOf(folder: string): string {
  return folder === '' ? SET_ASIDE_FOLDER : `${SET_ASIDE_FOLDER}/${folder}`;
}
