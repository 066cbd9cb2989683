/** What a delivered sound is used for; `library` hands it on as a sound, `archive` keeps it within the house. */
export const USES = ['film', 'broadcast', 'game', 'online', 'theatre', 'library', 'archive'] as const;
export type Use = (typeof USES)[number];
export const USE_WORDS: Record<Use, string> = {
  film: 'Film',
  broadcast: 'Broadcast',
  game: 'Game',
  online: 'Online',
  theatre: 'Theatre, installation',
  library: 'Handed on as sounds',
  archive: 'Archive of the house',
};

/** Whether a licence allows something; `unsaid` where it does not tell or nobody has read it. */
export const ANSWERS = ['yes', 'no', 'unsaid'] as const;
export type Answer = (typeof ANSWERS)[number];

/** What a licence says, as somebody read it. */
export interface LicenceTerms {
  /** Its identifier of the SPDX License List; empty for none. */
  spdx: string;
  commercial: Answer;
  /** Put under moving images or into a game: the sound becomes part of another work. */
  adapted: Answer;
  broadcast: Answer;
  games: Answer;
  /** Handed on as a sound, by itself. */
  redistribution: Answer;
  /** A work that it becomes part of has to go out under the same licence. */
  shareAlike: boolean;
  /** Its author has to be named. */
  attribution: boolean;
  /** How to name them; `{creator}`, `{fxName}` and other fields are filled in. Empty for the usual form. */
  credit: string;
  /** Where it holds, as people write it; empty for everywhere. */
  territories: string;
  /** Days, `YYYY-MM-DD`, the last one included; empty for no end or beginning. */
  from: string;
  until: string;
  /** The only show it may be used for; empty for any. */
  onlyShow: string;
  /** How many people may work with it; null for any number. */
  seats: number | null;
  notes: string;
}

/** Terms that nobody has read yet. */
export const UNSAID_TERMS: LicenceTerms = {
  spdx: '',
  commercial: 'unsaid',
  adapted: 'unsaid',
  broadcast: 'unsaid',
  games: 'unsaid',
  redistribution: 'unsaid',
  shareAlike: false,
  attribution: false,
  credit: '',
  territories: '',
  from: '',
  until: '',
  onlyShow: '',
  seats: null,
  notes: '',
};

/** What somebody wants to do with a sound. */
export interface WantedUse {
  use: Use;
  isCommercial: boolean;
  /** The show that it is for; empty when that is not said. */
  show: string;
  /** `YYYY-MM-DD`. */
  today: string;
}

/** Whether terms allow a use: `forbidden` with why, `open` where they leave something unsaid or ask for something, `allowed`. */
export interface Verdict {
  verdict: 'allowed' | 'open' | 'forbidden';
  reasons: string[];
}

/** So long before its end somebody should hear of it, days. */
const SOON_DAYS = 30;
/** Works that a sound becomes part of, with a picture or not. */
const ADAPTING: readonly Use[] = ['film', 'broadcast', 'game', 'online', 'theatre'];

const sameShow = (a: string, b: string): boolean => a.trim().toLowerCase() === b.trim().toLowerCase();

/** What terms say to a use. Keeping a sound in the archive of the house needs no leave beyond having it. */
export function verdictOf(terms: LicenceTerms, { use, isCommercial, show, today }: WantedUse): Verdict {
  if (use === 'archive') return { verdict: 'allowed', reasons: [] };
  const forbids: string[] = [];
  const opens: string[] = [];
  const ask = (answer: Answer, no: string, unsaid: string): void => {
    if (answer === 'no') forbids.push(no);
    if (answer === 'unsaid') opens.push(unsaid);
  };
  if (terms.from !== '' && today < terms.from) forbids.push(`it holds from ${terms.from} only`);
  if (terms.until !== '' && today > terms.until) forbids.push(`it ended on ${terms.until}`);
  else if (terms.until !== '' && daysBetween(today, terms.until) <= SOON_DAYS) opens.push(`it ends on ${terms.until}`);
  if (isCommercial)
    ask(terms.commercial, 'it allows no commercial use', 'it does not say whether commercial use is allowed');
  if (ADAPTING.includes(use))
    ask(
      terms.adapted,
      'it allows no use in another work',
      'it does not say whether it may become part of another work',
    );
  if (use === 'broadcast')
    ask(terms.broadcast, 'it allows no broadcast', 'it does not say whether broadcast is allowed');
  if (use === 'game') ask(terms.games, 'it allows no games', 'it does not say whether games are allowed');
  if (use === 'library')
    ask(terms.redistribution, 'it allows no handing on', 'it does not say whether it may be handed on');
  if (terms.onlyShow !== '') {
    if (show === '') opens.push(`it is for “${terms.onlyShow}” only`);
    else if (!sameShow(terms.onlyShow, show)) forbids.push(`it is for “${terms.onlyShow}” only`);
  }
  if (terms.shareAlike) opens.push('what it becomes part of has to go out under the same licence');
  if (terms.territories !== '') opens.push(`it holds for ${terms.territories}`);
  if (terms.seats !== null)
    opens.push(`${terms.seats === 1 ? 'one person' : `${terms.seats} people`} may work with it`);
  if (forbids.length > 0) return { verdict: 'forbidden', reasons: forbids };
  return { verdict: opens.length > 0 ? 'open' : 'allowed', reasons: opens };
}

/** What terms forbid or ask for whatever the use is, in short words; nothing where all is allowed as far as they say. `today` is `YYYY-MM-DD`. */
export function restrictionsOf(terms: LicenceTerms, today: string): string[] {
  const said: string[] = [];
  if (terms.until !== '' && today > terms.until) said.push(`ended on ${terms.until}`);
  if (terms.from !== '' && today < terms.from) said.push(`holds from ${terms.from}`);
  if (terms.commercial === 'no') said.push('no commercial use');
  if (terms.adapted === 'no') said.push('no use in another work');
  if (terms.broadcast === 'no') said.push('no broadcast');
  if (terms.games === 'no') said.push('no games');
  if (terms.redistribution === 'no') said.push('no handing on');
  if (terms.onlyShow !== '') said.push(`only for “${terms.onlyShow}”`);
  if (terms.territories !== '') said.push(`for ${terms.territories}`);
  if (terms.seats !== null) said.push(`for ${terms.seats === 1 ? 'one person' : `${terms.seats} people`}`);
  if (terms.shareAlike) said.push('share alike');
  if (terms.attribution) said.push('name its author');
  return said;
}

const DAY_MS = 24 * 3600 * 1000;

function daysBetween(from: string, to: string): number {
  return (Date.parse(to) - Date.parse(from)) / DAY_MS;
}
