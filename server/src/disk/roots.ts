import { readdir, realpath, stat } from 'node:fs/promises';
import path from 'node:path';
import { AppError } from '@flagstone/core/errors';

/** Whether a path is the folder itself or lies below it; both absolute and without links. */
export function isWithin(folder: string, candidate: string): boolean {
  const relative = path.relative(folder, candidate);
  return relative === '' || (!relative.startsWith(`..${path.sep}`) && relative !== '..' && !path.isAbsolute(relative));
}

/** The roots below which Flagstone may read and write, set at start. */
export class AllowedRoots {
  readonly roots: readonly string[];

  private constructor(roots: string[]) {
    this.roots = roots;
  }

  /** Roots that do not exist are refused with PATH_NOT_FOUND. */
  static async of(folders: readonly string[]): Promise<AllowedRoots> {
    const roots = await Promise.all(
      folders.map((folder) =>
        realpath(folder).catch((error: unknown) => {
          throw new AppError('PATH_NOT_FOUND', `The root ${folder} does not exist.`, { cause: error });
        }),
      ),
    );
    return new AllowedRoots([...new Set(roots)]);
  }

  /**
   * The real path of a folder that a person named, when it lies below a root. Throws PATH_OUTSIDE_ROOTS (also when a link leads
   * out, and before anything is said about what exists there), PATH_NOT_FOUND or PATH_NOT_A_FOLDER.
   */
  async checkedFolder(given: string): Promise<string> {
    if (given.includes('\0') || !path.isAbsolute(given)) {
      throw new AppError('PATH_OUTSIDE_ROOTS', `“${given}” is not an absolute path.`);
    }
    const plain = path.resolve(given);
    this.check(plain, given);
    const real = await realpath(plain).catch((error: NodeJS.ErrnoException) => {
      if (error.code === 'EACCES')
        throw new AppError('PATH_NOT_READABLE', `${given} cannot be entered.`, { cause: error });
      throw new AppError('PATH_NOT_FOUND', `${given} does not exist.`, { cause: error });
    });
    this.check(real, given);
    if (!(await stat(real)).isDirectory()) throw new AppError('PATH_NOT_A_FOLDER', `${given} is a file.`);
    return real;
  }

  /** The folders directly inside a folder that a person named, by name; hidden ones are left out. Errors as for checkedFolder. */
  async foldersIn(given: string): Promise<{ path: string; folders: { name: string; path: string }[] }> {
    const real = await this.checkedFolder(given);
    const entries = await readdir(real, { withFileTypes: true }).catch((cause: unknown) => {
      throw new AppError('PATH_NOT_READABLE', `${real} cannot be listed.`, { cause });
    });
    const folders = entries
      .filter((entry) => entry.isDirectory() && !entry.name.startsWith('.'))
      .map((entry) => ({ name: entry.name, path: path.join(real, entry.name) }))
      .sort((a, b) => a.name.localeCompare(b.name));
    return { path: real, folders };
  }

  /** Where drives are usually mounted: the roots themselves and the folders directly below them. */
  async likelyMounts(): Promise<string[]> {
    const below = await Promise.all(
      this.roots.map(async (root) => {
        const { folders } = await this.foldersIn(root);
        return folders.map((folder) => folder.path);
      }),
    );
    return [...this.roots, ...below.flat()];
  }

  /** The highest folder on the same file system as a real path that still lies within an allowed root. */
  async fileSystemRoot(real: string): Promise<string> {
    const allowed = this.rootOf(real) ?? real;
    const device = (await stat(real)).dev;
    let root = real;
    while (root !== allowed) {
      const parent = path.dirname(root);
      if (!isWithin(allowed, parent) || (await stat(parent)).dev !== device) break;
      root = parent;
    }
    return root;
  }

  private check(candidate: string, given: string): void {
    if (!this.roots.some((root) => isWithin(root, candidate))) {
      throw new AppError(
        'PATH_OUTSIDE_ROOTS',
        `${given} lies outside the allowed roots (${this.roots.join(', ') || 'none'}).`,
      );
    }
  }

  /** The root that holds a real path, the deepest when several do. */
  rootOf(real: string): string | undefined {
    return this.roots.filter((root) => isWithin(root, real)).sort((a, b) => b.length - a.length)[0];
  }
}
