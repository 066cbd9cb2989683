/** Gathers what comes one by one into pages of so many; the last may be shorter. */
export async function* inPages<Item>(items: AsyncIterable<Item>, size: number): AsyncGenerator<Item[]> {
  let page: Item[] = [];
  for await (const item of items) {
    page.push(item);
    if (page.length < size) continue;
    yield page;
    page = [];
  }
  if (page.length > 0) yield page;
}
