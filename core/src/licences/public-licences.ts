import { UNSAID_TERMS, type LicenceTerms } from './terms.ts';

/** A licence that everybody knows, by its own name and address. */
export interface PublicLicence {
  name: string;
  url: string;
  terms: LicenceTerms;
}

const ANY: LicenceTerms = {
  ...UNSAID_TERMS,
  commercial: 'yes',
  adapted: 'yes',
  broadcast: 'yes',
  games: 'yes',
  redistribution: 'yes',
};

/**
 * The terms of a Creative Commons licence by the elements in its name. “No derivatives” allows no synchronisation with moving images, which is always an adaptation (legal code of version 4.0, §1 a; of
 * 3.0, §1 a), and so neither film nor game nor television.
 */
function creativeCommons(elements: string, version: string): PublicLicence {
  const parts = elements.split('-');
  const isFixed = parts.includes('ND');
  const no = isFixed ? 'no' : 'yes';
  return {
    name: `CC ${elements} ${version}`,
    url: `https://creativecommons.org/licenses/${elements.toLowerCase()}/${version}/`,
    terms: {
      ...ANY,
      spdx: `CC-${elements}-${version}`,
      commercial: parts.includes('NC') ? 'no' : 'yes',
      adapted: no,
      broadcast: no,
      games: no,
      shareAlike: parts.includes('SA'),
      attribution: true,
    },
  };
}

const KINDS = ['BY', 'BY-SA', 'BY-ND', 'BY-NC', 'BY-NC-SA', 'BY-NC-ND'];

/** Common public licences under the identifiers of the SPDX License List; facts of their own texts. */
export const PUBLIC_LICENCES: readonly PublicLicence[] = [
  {
    name: 'CC0 1.0',
    url: 'https://creativecommons.org/publicdomain/zero/1.0/',
    terms: { ...ANY, spdx: 'CC0-1.0' },
  },
  {
    name: 'Public domain',
    url: 'https://creativecommons.org/licenses/publicdomain/',
    terms: { ...ANY, spdx: 'CC-PDDC' },
  },
  ...['4.0', '3.0'].flatMap((version) => KINDS.map((elements) => creativeCommons(elements, version))),
];

const plain = (text: string): string =>
  text
    .toLowerCase()
    .replace(/creative\s*commons/g, 'cc')
    .replace(/[^a-z0-9.]+/g, '');

const plainUrl = (url: string): string =>
  url
    .trim()
    .toLowerCase()
    .replace(/^https?:\/\/(www\.)?/, '')
    .replace(/\/(legalcode|deed)(\.[a-z-]+)*\/?$/, '')
    .replace(/\/+$/, '');

const BY_NAME = new Map(
  PUBLIC_LICENCES.flatMap((licence) =>
    [licence.name, licence.terms.spdx].map((name) => [plain(name), licence] as const),
  ),
);
const BY_URL = new Map(PUBLIC_LICENCES.map((licence) => [plainUrl(licence.url), licence]));

/** The public licence that a record means, by its identifier, its name or its address, however they are punctuated; undefined for none. */
export function publicLicence(name: string, url = ''): PublicLicence | undefined {
  return BY_NAME.get(plain(name)) ?? BY_URL.get(plainUrl(url)) ?? BY_URL.get(plainUrl(name));
}
