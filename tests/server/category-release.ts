import { builtInCategoryList } from '@flagstone/core/ucs/category-list';

/** The rows of a release to come: the built-in list with CERMBrk under another CatID, DOORWood under another name, and one category left out. */
export function releaseRows(withoutCatId = ''): string[][] {
  const header = ['Category', 'SubCategory', 'CatID', 'CatShort', 'Explanations', 'Synonyms'];
  const rows = builtInCategoryList()
    .categories.filter(({ catId }) => catId !== withoutCatId)
    .map(({ category, subCategory, catId, catShort, meaning, words }) => [
      catId === 'DOORWood' ? 'GATES' : category,
      subCategory,
      catId === 'CERMBrk' ? 'CERMShat' : catId,
      catShort,
      meaning,
      words.join(', '),
    ]);
  return [header, ...rows];
}

export const csvOf = (rows: string[][]): string =>
  rows.map((row) => row.map((cell) => `"${cell.replaceAll('"', '""')}"`).join(',')).join('\r\n');

/** A file as the browser sends it. */
export const listFile = (fileName: string, bytes: Uint8Array | string) => ({
  fileName,
  content: Buffer.from(bytes).toString('base64'),
});
