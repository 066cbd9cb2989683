import { SEARCH_FIELDS } from '@flagstone/core/query/search-fields';
import { PUBLISHERS, CREATORS, MICROPHONES, PROJECTS } from './fill-searchable.ts';

/** Draws a whole number below a limit. */
type Draw = (limit: number) => number;

/** What each field of the search line is asked for, of the made-up sounds: some that many have, some that few have. */
export function fieldSearches(word: () => string, draw: Draw): Map<string, () => string> {
  const pick = (...values: string[]) => values[draw(values.length)] ?? '';
  const number = (name: string, ...values: string[]) => `${name}:${pick(...values)}`;
  const choices = (name: string) => {
    const field = SEARCH_FIELDS.find((each) => each.name === name);
    return `${name}:${pick(...(field?.choices ?? []))}`;
  };
  const own: Record<string, () => string> = {
    catid: () => pick('catid:woodbrk', 'catid:ambience', 'catid:wthrthun'),
    category: () => `category:${pick('wood', 'weather', 'water', 'doors', '=WOOD')}`,
    subcategory: () => `subcategory:${pick('door', 'misc', 'impact', 'wind')}`,
    library: () => pick(`library:="Library ${1 + draw(200)}"`, 'library:library'),
    creator: () => pick(`creator:="Creator ${1 + draw(CREATORS)}"`, `creator:"creator ${1 + draw(CREATORS)}"`),
    creatorid: () => `creatorid:c${1 + draw(CREATORS)}`,
    sourceid: () => `sourceid:s${1 + draw(200)}`,
    publisher: () => `publisher:="Publisher ${1 + draw(PUBLISHERS)}"`,
    project: () => `project:"show ${1 + draw(PROJECTS)}"`,
    licence: () => pick('licence:house', 'licence:="House use"', 'licence:cc'),
    microphone: () => `microphone:${pick(...MICROPHONES.map((name) => `"${name}"`), 'shotgun', 'pair')}`,
    in: () =>
      pick(
        `in:"Made up/Library ${1 + draw(200)}"`,
        `in:"Made up/Library ${1 + draw(20)}/WOOD"`,
        'in:Second',
        'in:"Made up"',
      ),
    folder: () => `folder:${pick('wood', 'weather', '"library 12"')}`,
    drive: () => pick('drive:second', 'drive:="Made up"'),
    container: () => pick('container:flac', 'container:wav', 'container:ogg'),
    layout: () => pick('layout:5.1', 'layout:=stereo', 'layout:7.1'),
    tag: () => `tag:reel${1 + draw(12)}`,
    list: () => pick('list:reel', 'list:="Reel 2"'),
    used: () => pick('used:<30d', 'used:>365d', 'used:2026'),
    length: () => number('length', '2..3', '<0.1', '>100', '5'),
    rate: () => number('rate', '>=96000', '192k', '44100'),
    depth: () => number('depth', '16', '32', '8'),
    channels: () => number('channels', '6', '>6', '1'),
    loudness: () => number('loudness', '<-40', '>-10', '-30..-20'),
    peak: () => number('peak', '>-1', '<-30'),
    rating: () => number('rating', '5', '>=3', '0'),
    mine: () => number('mine', '>=4', '1'),
    uses: () => number('uses', '0', '>0', '>3'),
    weight: () => number('weight', '4..5', '1'),
    activity: () => number('activity', '1', '>3'),
    tempo: () => number('tempo', '90..100', '>170'),
    copies: () => number('copies', '>1', '1', '0'),
    form: () => choices('form'),
    state: () => choices('state'),
    is: () => choices('is'),
    added: () => number('added', '<7d', '>3y', '<90d'),
  };
  return new Map(SEARCH_FIELDS.map(({ name }) => [name, own[name] ?? (() => `${name}:${word()}`)]));
}
