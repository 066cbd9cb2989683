/** What a person may choose about writing. */
export interface WriteOptions {
  /** Version of ID3v2 tags that are new; earlier tags keep theirs. */
  id3Version: 3 | 4;
}
