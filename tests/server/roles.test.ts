import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { api, rawApi } from '@flagstone/contract/api';
import { PLAIN_PROFILE } from '@flagstone/core/delivery/profile';
import express from 'express';
import { apiRoutes } from '../../server/src/routes/api-routes.ts';
import { errorAnswer } from '../../server/src/routes/error-answer.ts';
import { rawRoutes } from '../../server/src/routes/raw-routes.ts';
import { listenOn, type Listening } from './listen-on.ts';
import { TestApplication } from './test-application.ts';
import { copiesOf, LEVELS, peopleOfEachRole, twoCollections, type Held, type Level } from './two-collections.ts';

/** What a request names: the same of each of the two collections. */
interface Asked {
  params?: Record<string, string | number>;
  query?: Record<string, string | number>;
  body?: object;
}
type Ask = (held: Held) => Asked;

/** Who may at least; `anybody` without signing in, `person` whoever is signed in, with a role or without. */
type Least = 'anybody' | 'person' | Exclude<Level, 'none'>;
/** What becomes of the same request for what is in the collection that is not seen: nothing is there; or the handler gets nothing of it to work with. */
type Foreign = 'not found' | 'not allowed' | 'nothing of it' | 'the same';
type Row = readonly [least: Least, foreign: Foreign, ask?: Ask];

const of =
  (key: keyof Held): Ask =>
  (held) => ({ params: { id: held[key] } });
const with_ =
  (key: keyof Held, body: object): Ask =>
  (held) => ({ params: { id: held[key] }, body });
const chosen =
  (more: object = {}): Ask =>
  (held) => ({ body: { selection: copiesOf(held), ...more } });
const plain =
  (asked: Asked): Ask =>
  () =>
    asked;
const steps = [{ do: 'readName', how: 'ifEmpty' }];
const copyingOut = (held: Held): object => ({
  what: { kind: 'sounds', selection: copiesOf(held), cut: 'whole' },
  tree: false,
});
const spectrogram = { from: 0, to: 100, columns: 10, rows: 10, size: 512, scale: 'log', channel: 0 };
const slices = {
  sensitivity: 0.5,
  minimumSeconds: 0.1,
  preRollSeconds: 0,
  postRollSeconds: 0,
  toZeroCrossings: false,
};
const passkey = { id: 'x', rawId: 'x', type: 'public-key', response: {}, clientExtensionResults: {} };
const someone = plain({ params: { id: 1 } });
const TICKET = '11111111-2222-4333-8444-555555555555';

/** Written by hand: every route, who may ask it at least, and what it says of another collection. One that is missing fails. */
const TABLE: Record<keyof typeof api | keyof typeof rawApi, Row> = {
  getHealth: ['anybody', 'the same'],
  getOpenApi: ['person', 'the same'],
  signIn: ['anybody', 'the same', plain({ body: { account: 'a', password: 'b' } })],
  signOut: ['anybody', 'the same'],
  listDemoPeople: ['anybody', 'the same'],
  signInDemo: ['anybody', 'the same', someone],
  getLink: ['anybody', 'the same', plain({ body: { secret: 's' } })],
  takeLink: ['anybody', 'the same', plain({ body: { secret: 's', password: 'p' } })],
  beginPasskeySignIn: ['anybody', 'the same'],
  signInByPasskey: ['anybody', 'the same', plain({ body: { response: passkey } })],

  getSignedIn: ['person', 'the same'],
  listPeople: ['person', 'the same'],
  changePassword: ['person', 'the same', plain({ body: { current: 'c', password: 'p' } })],
  listSessions: ['person', 'the same'],
  endSession: ['person', 'the same', someone],
  listPasskeys: ['person', 'the same'],
  beginPasskey: ['person', 'the same'],
  addPasskey: ['person', 'the same', plain({ body: { name: 'key', response: passkey } })],
  endPasskey: ['person', 'the same', someone],
  listTokens: ['person', 'the same'],
  makeToken: ['person', 'the same', plain({ body: { name: 'nightly', days: 3 } })],
  endToken: ['person', 'the same', someone],
  listLayouts: ['person', 'the same'],
  saveLayout: [
    'person',
    'the same',
    plain({ body: { name: 'mine', layout: { columns: [{ key: 'name', width: 200 }], density: 'dense' } } }),
  ],
  removeLayout: ['person', 'the same', someone],
  listCategories: ['person', 'the same'],
  getOverview: ['person', 'nothing of it'],
  listCollections: ['person', 'nothing of it'],
  listJobs: ['person', 'nothing of it'],
  listPresence: ['person', 'nothing of it'],
  tellWhereabouts: ['person', 'nothing of it', plain({ body: { page: TICKET, batchId: null, soundId: null } })],
  followEvents: ['person', 'nothing of it'],
  undoLast: ['person', 'nothing of it'],
  redoLast: ['person', 'nothing of it'],

  listCatalogue: ['listener', 'nothing of it'],
  countIndex: ['listener', 'nothing of it'],
  listFolderLevel: ['listener', 'nothing of it'],
  completeQuery: ['listener', 'nothing of it'],
  readQuery: ['listener', 'nothing of it'],
  listDrives: ['listener', 'nothing of it'],
  getDrift: ['listener', 'nothing of it'],
  startProof: ['librarian', 'nothing of it', plain({ body: { driveId: TICKET } })],
  getDriftTrend: ['listener', 'nothing of it'],
  listReadFolders: ['listener', 'nothing of it'],
  listBatches: ['listener', 'nothing of it'],
  listRelations: ['listener', 'the same'],
  listCategoryLists: ['listener', 'the same'],
  countCategoryUses: ['listener', 'nothing of it'],
  listSavedSearches: ['listener', 'nothing of it'],
  saveSearch: ['listener', 'nothing of it', plain({ body: { name: 'x', query: {}, shared: false } })],
  removeSavedSearch: ['listener', 'the same', someone],
  visitSavedSearch: ['listener', 'the same', someone],
  getStatistics: ['listener', 'nothing of it'],
  countAdded: ['listener', 'nothing of it', plain({ query: { since: '2026-01-01T00:00:00Z' } })],
  getWaves: ['listener', 'nothing of it', ({ sound }) => ({ query: { sounds: sound } })],
  findAlike: ['listener', 'nothing of it'],
  markSounds: ['listener', 'nothing of it', chosen({ favourite: true })],
  countDisagreements: ['listener', 'nothing of it', chosen()],
  getSound: ['listener', 'not found', of('sound')],
  getFileTime: ['listener', 'not found', of('sound')],
  findSlices: ['listener', 'not found', with_('sound', slices)],
  getKin: ['listener', 'not found', of('sound')],
  listAlike: ['listener', 'not found', of('sound')],
  getAnalysis: ['listener', 'not found', of('sound')],
  getPeaks: ['listener', 'not found', of('sound')],
  getSamples: ['listener', 'not found', of('sound')],
  getCurves: ['listener', 'not found', of('sound')],
  getSpectrogram: ['listener', 'not found', ({ sound }) => ({ params: { id: sound }, query: spectrogram })],
  getContents: ['listener', 'not found', of('copy')],
  listOtherForms: ['listener', 'not found', of('sound')],
  getThreeWays: ['listener', 'not found', of('copy')],
  streamAudio: ['listener', 'not found', of('copy')],

  downloadPart: ['editor', 'not found', of('copy')],
  exportTriedOut: ['editor', 'not found', with_('sound', { part: null, tryOut: [] })],
  downloadTriedOut: ['editor', 'not found', ({ sound }) => ({ params: { id: sound }, query: { steps: '[]' } })],
  listFolders: ['editor', 'nothing of it'],
  listUses: ['editor', 'not found', of('sound')],
  listPullLists: ['editor', 'nothing of it'],
  makePullList: ['editor', 'nothing of it', plain({ body: { name: 'New', show: '', scene: '' } })],
  updatePullList: ['editor', 'not found', with_('list', { scene: '4' })],
  removePullList: ['editor', 'not found', of('list')],
  listPullEntries: ['editor', 'not found', of('list')],
  addPullEntry: [
    'editor',
    'not found',
    ({ list, sound }) => ({
      params: { id: list },
      body: { soundId: sound, part: null, tryOut: null, comment: '' },
    }),
  ],
  addPullSounds: ['editor', 'not found', (held) => ({ ...of('list')(held), ...chosen()(held) })],
  getPullListReport: ['editor', 'not found', of('list')],
  listPullLicences: ['editor', 'not found', of('list')],
  takePullEntries: ['editor', 'not found', with_('list', { entryIds: [1] })],
  removePullEntries: ['editor', 'not found', with_('list', { entryIds: [1] })],
  updatePullEntry: ['editor', 'not found', with_('entry', { comment: 'x' })],
  exportPullEntry: ['editor', 'not found', of('entry')],
  prepareCopyOut: ['editor', 'nothing of it', (held) => ({ body: copyingOut(held) })],
  copyOutToFolder: ['editor', 'nothing of it', (held) => ({ body: { ...copyingOut(held), folder: '/somewhere' } })],
  downloadZip: ['editor', 'the same', plain({ params: { ticket: TICKET } })],
  exportTable: [
    'editor',
    'nothing of it',
    (held) => ({ body: { request: JSON.stringify({ selection: copiesOf(held), format: 'csv', columns: ['name'] }) } }),
  ],

  getBatch: ['assistant', 'not found', of('batch')],
  listBatchRows: ['assistant', 'not found', of('batch')],
  findBatchRows: ['assistant', 'not found', with_('batch', { copyIds: [1] })],
  listUnreadable: ['assistant', 'not found', of('batch')],
  listLearned: ['assistant', 'not found', of('collection')],
  listPathRules: ['assistant', 'the same'],
  listAuthorities: ['assistant', 'nothing of it'],
  listSettlingRules: ['assistant', 'the same'],
  listRecipes: ['assistant', 'the same'],
  saveRecipe: ['assistant', 'the same', plain({ body: { name: 'r', steps, shared: false } })],
  removeRecipe: ['assistant', 'the same', someone],
  goBack: ['assistant', 'not found', with_('sound', { revision: 1 })],
  countValues: ['assistant', 'nothing of it', chosen()],
  editRecords: ['assistant', 'nothing of it', chosen({ edit: { set: { notes: 'x' } } })],
  editRows: [
    'assistant',
    'nothing of it',
    ({ copy }) => ({ body: { summary: 's', edits: [{ copyId: copy, edit: { set: { notes: 'x' } } }] } }),
  ],
  undoChange: ['assistant', 'not found', of('change')],
  listRemarks: ['listener', 'not found', of('sound')],
  addRemark: ['editor', 'not found', with_('sound', { text: 'Which gate?' })],
  // Those of others are taken away by nobody.
  removeRemark: ['editor', 'nothing of it', of('remark')],
  settleRemark: ['person', 'nothing of it', with_('remark', { isDone: true })],
  listWaiting: ['person', 'nothing of it'],
  listProposals: ['assistant', 'nothing of it'],
  countProposals: ['assistant', 'nothing of it'],
  decideProposals: [
    'librarian',
    'nothing of it',
    ({ proposal }) => ({ body: { ids: [proposal], decision: 'returned', remark: '' } }),
  ],
  // Those of others are taken back by nobody.
  withdrawProposals: ['assistant', 'nothing of it', ({ proposal }) => ({ body: { ids: [proposal] } })],
  previewSettling: ['assistant', 'nothing of it', chosen()],
  countSettling: ['assistant', 'nothing of it', chosen()],
  runSettling: ['assistant', 'nothing of it', chosen()],
  makeSheet: ['editor', 'nothing of it', chosen()],
  listSheetRecipients: ['editor', 'the same'],
  getHouse: ['editor', 'the same'],
  nameHouse: ['administrator', 'the same', plain({ body: { name: 'The mill' } })],
  runPathRules: ['assistant', 'nothing of it', chosen()],
  previewRecipe: ['assistant', 'nothing of it', chosen({ steps })],
  countRecipe: ['assistant', 'nothing of it', chosen({ steps })],
  listFilePlaces: ['assistant', 'nothing of it', chosen()],
  runRecipe: ['assistant', 'nothing of it', chosen({ steps })],
  suggest: ['assistant', 'nothing of it', ({ copy }) => ({ body: { copyIds: [copy] } })],
  acceptSuggestions: ['assistant', 'nothing of it', chosen({ minimumScore: 0.5, fields: ['catId'] })],

  updateCollection: ['librarian', 'not found', with_('collection', { pattern: null })],
  forgetLearned: ['librarian', 'not found', with_('collection', {})],
  updateReadFolder: ['librarian', 'not found', with_('readFolder', { watched: false })],
  readAgain: ['librarian', 'not found', of('readFolder')],
  countIntake: ['librarian', 'nothing of it', plain({ body: { path: '/somewhere' } })],
  startIntake: [
    'librarian',
    'not found',
    ({ collection }) => ({ body: { path: '/somewhere', collectionId: collection } }),
  ],
  fileBatch: ['librarian', 'not found', of('batch')],
  previewRemoval: ['librarian', 'nothing of it', chosen()],
  removeSounds: ['librarian', 'nothing of it', chosen({ reason: 'bought twice' })],
  listRemoved: ['librarian', 'nothing of it'],
  bringBack: ['librarian', 'nothing of it', plain({ body: { soundIds: [1] } })],
  updateBatch: ['librarian', 'not found', with_('batch', { name: 'x' })],
  previewSplit: ['librarian', 'not found', with_('batch', { by: 'type' })],
  splitBatch: ['librarian', 'not found', with_('batch', { by: 'type' })],
  moveRows: [
    'librarian',
    'not found',
    (held) => ({ params: { id: held.batch }, body: { selection: copiesOf(held), to: { name: 'x' } } }),
  ],
  foldBatch: ['librarian', 'not found', of('batch')],
  listNotTaken: ['assistant', 'not found', of('batch')],
  findHeld: ['librarian', 'nothing of it', plain({ body: { digests: ['f'.repeat(64)] } })],
  listArrivals: ['librarian', 'nothing of it'],
  makeArrival: ['librarian', 'not found', ({ collection }) => ({ body: { name: 'x', collectionId: collection } })],
  announceFiles: ['librarian', 'not found', with_('arrival', { files: [{ path: 'wheel.wav', bytes: 1 }] })],
  listLeftOut: ['librarian', 'not found', of('arrival')],
  finishArrival: ['librarian', 'not found', of('arrival')],
  giveUpArrival: ['librarian', 'not found', of('arrival')],
  saveRelation: [
    'librarian',
    'the same',
    plain({ body: { word: 'clang', related: 'clank', kind: 'same', hidden: false } }),
  ],
  removeRelation: ['librarian', 'the same', someone],
  listLost: ['librarian', 'nothing of it'],
  settleLost: ['librarian', 'nothing of it', plain({ body: { what: 'certain' } })],
  importTable: ['librarian', 'nothing of it', plain({ query: { format: 'csv' } })],
  listDeliveries: ['editor', 'the same'],
  getDelivery: ['editor', 'the same', someone],
  makeDelivery: [
    'editor',
    'nothing of it',
    ({ copy }) => ({
      body: {
        name: 'Scene 4',
        folder: '/somewhere',
        profile: PLAIN_PROFILE,
        what: { kind: 'sounds', selection: { kind: 'copies', copyIds: [copy] }, cut: 'whole' },
      },
    }),
  ],
  updateDelivery: ['editor', 'the same', plain({ params: { id: 1 }, body: { name: 'Scene 5' } })],
  removeDelivery: ['editor', 'the same', someone],
  layDelivery: ['editor', 'nothing of it', someone],
  listDeliveryItems: ['editor', 'nothing of it', someone],
  runDelivery: ['editor', 'the same', plain({ params: { id: 1 }, body: {} })],
  decideLicence: [
    'librarian',
    'the same',
    plain({ params: { id: 1 }, body: { licence: 'CC BY 4.0', reason: 'asked' } }),
  ],
  getLicence: ['listener', 'the same', plain({ query: { name: 'CC BY 4.0' } })],
  listEndingLicences: ['assistant', 'nothing of it'],
  saveLicenceTerms: ['administrator', 'the same', plain({ params: { id: 1 }, body: { terms: null } })],
  listDeliveryProfiles: ['editor', 'the same'],
  saveDeliveryProfile: ['editor', 'the same', plain({ body: { name: 'Trailer', profile: PLAIN_PROFILE } })],
  removeDeliveryProfile: ['editor', 'the same', someone],
  listSheets: ['librarian', 'the same'],
  getSheet: ['librarian', 'the same', plain({ params: { id: TICKET } })],
  listSheetItems: ['librarian', 'nothing of it', plain({ params: { id: TICKET } })],
  getSheetParts: ['librarian', 'the same', plain({ params: { id: TICKET } })],
  placeSheetPerson: [
    'librarian',
    'the same',
    plain({ params: { id: TICKET }, body: { name: 'Ines', stands: { as: 'guest' } } }),
  ],
  applySheet: ['librarian', 'the same', plain({ params: { id: TICKET }, body: { wins: 'ours' } })],
  planSheetNames: ['librarian', 'nothing of it', plain({ params: { id: TICKET } })],
  removeSheet: ['librarian', 'the same', plain({ params: { id: TICKET } })],
  receiveSheet: ['librarian', 'the same'],
  planRelocation: [
    'librarian',
    'not allowed',
    ({ drive, folder }) => ({ body: { driveId: drive, folder, toPath: '/somewhere' } }),
  ],
  planCut: [
    'librarian',
    'not found',
    with_('sound', { parts: [{ from: 0, to: 10, name: '' }], fadeInSeconds: 0, fadeOutSeconds: 0 }),
  ],
  makePlan: ['librarian', 'nothing of it', chosen({ kind: 'write' })],
  planShelving: ['librarian', 'nothing of it', chosen()],
  planClearing: ['librarian', 'nothing of it', chosen({ way: 'setAside' })],
  planCopies: ['librarian', 'nothing of it', chosen({ toPath: '/somewhere' })],
  getPlan: ['librarian', 'not found', of('plan')],
  listPlanItems: ['librarian', 'not found', of('plan')],
  runPlan: ['librarian', 'not found', with_('plan', {})],
  undoPlan: ['librarian', 'not found', of('plan')],
  cancelJob: ['librarian', 'not found', of('job')],
  pauseJob: ['librarian', 'not found', of('job')],
  resumeJob: ['librarian', 'not found', of('job')],

  getBackups: ['administrator', 'the same'],
  setBackups: ['administrator', 'the same', plain({ body: { schedule: null } })],
  makeBackup: ['administrator', 'the same'],
  listAccounts: ['administrator', 'the same'],
  addAccount: ['administrator', 'the same', plain({ body: { name: 'N', account: 'nn' } })],
  changeAccount: ['administrator', 'the same', plain({ params: { id: 1 }, body: {} })],
  makeAccountLink: ['administrator', 'the same', someone],
  listAudit: ['administrator', 'the same'],
  listAuditChoices: ['administrator', 'the same'],
  exportAudit: ['administrator', 'the same'],
  compareCategoryList: ['administrator', 'the same', plain({ body: { list: { id: 0 } } })],
  moveCategories: ['administrator', 'the same', plain({ body: { moves: {} } })],
  getBehindList: ['librarian', 'nothing of it'],
  planAfterList: ['librarian', 'nothing of it'],
  adoptCategoryList: ['administrator', 'the same', plain({ body: { list: { id: 0 }, source: 's', moves: {} } })],
  updateDrive: ['administrator', 'the same', with_('drive', { name: 'X' })],
  makeCollection: ['administrator', 'the same', plain({ body: { name: 'New' } })],
  mergeCollection: ['administrator', 'the same', with_('collection', { intoId: 1 })],
  // Shared by all collections: for librarians of each of them, of which there is none here.
  keepSettlingRule: [
    'administrator',
    'the same',
    plain({ body: { driveId: null, collectionId: null, field: 'any', wins: 'record' } }),
  ],
  removeSettlingRule: ['administrator', 'the same', someone],
  addPathRule: ['administrator', 'the same', plain({ body: { pattern: 'a/**', sets: { library: 'b' } } })],
  removePathRule: ['administrator', 'the same', someone],
  saveAuthority: ['administrator', 'the same', plain({ body: { kind: 'creator', name: 'n', code: '' } })],
  removeAuthority: ['administrator', 'the same', someone],
  gatherAuthorities: ['administrator', 'the same'],
  mergeAuthority: ['administrator', 'the same', plain({ params: { id: 1 }, body: { intoId: 2 } })],
};

let app: TestApplication;
let server: Listening;
let own: Held;
let foreign: Held;
let headersOf: Record<Level, Record<string, string>>;

/** Handlers that do nothing: what is decided before them is what is looked at. They say which collections they were given to work with. */
const stubs = Object.fromEntries(
  Object.keys(api).map((name) => [name, (_: unknown, { sight }: { sight: unknown }) => Promise.resolve({ sight })]),
);
const rawStubs = Object.fromEntries(
  Object.keys(rawApi).map((name) => [
    name,
    (_: unknown, { sight, response }: { sight: unknown; response: express.Response }) => void response.json({ sight }),
  ]),
);

beforeAll(async () => {
  app = await TestApplication.open();
  ({ own, foreign } = await twoCollections(app));
  headersOf = await peopleOfEachRole(app);
  const deciding = express();
  deciding.use('/api', rawRoutes(app.context, rawStubs as never));
  deciding.use('/api', apiRoutes(app.context, stubs as never));
  deciding.use(errorAnswer(app.context.log));
  server = await listenOn(deciding);
}, 90_000);
afterAll(async () => {
  server.close();
  await app.close();
});

const all = Object.entries({ ...api, ...rawApi }) as [keyof typeof TABLE, (typeof api)['getSound']][];

/** How a request is answered: what was refused by its code, else what the handler got to work with. */
async function answerTo(
  name: keyof typeof TABLE,
  { params = {}, query = {}, body }: Asked,
  headers: Record<string, string>,
): Promise<string> {
  const { method, path } = { ...api, ...rawApi }[name];
  const address = path.replace(/:(\w+)/g, (_, key: string) => String(params[key] ?? 0));
  const asked = new URLSearchParams(Object.entries(query).map(([key, value]) => [key, String(value)]));
  const isForm = name === 'exportTable';
  const response = await fetch(`${server.address}${address}?${asked.toString()}`, {
    method,
    headers: {
      ...headers,
      ...(body ? { 'Content-Type': isForm ? 'application/x-www-form-urlencoded' : 'application/json' } : {}),
    },
    ...(body ? { body: isForm ? new URLSearchParams(body as Record<string, string>) : JSON.stringify(body) } : {}),
  });
  const said = (await response.json()) as { code?: string; message?: string; sight?: unknown };
  if (response.ok) return `allowed in ${JSON.stringify(said.sight)}`;
  return said.code === 'BAD_REQUEST' ? `BAD_REQUEST ${said.message}` : (said.code ?? String(response.status));
}

const rank = (least: Least): number => (least === 'anybody' || least === 'person' ? 0 : LEVELS.indexOf(least));
const sightOf = (level: Level): string =>
  level === 'administrator' ? '"all"' : level === 'none' ? '[]' : `[${own.collection}]`;

describe('every route, asked by every role', () => {
  it('has its line in the table', () => {
    expect(Object.keys(TABLE).sort()).toEqual(all.map(([name]) => name).sort());
  });

  it('lets those do it who may in their own collection, and nobody else', async () => {
    const wrong: unknown[] = [];
    for (const [name] of all) {
      const [least, , ask = plain({})] = TABLE[name];
      for (const level of LEVELS) {
        const answer = await answerTo(name, ask(own), headersOf[level]);
        const isJobOfNobody = level === 'none' && ask(own).params?.['id'] === own.job;
        const expected =
          LEVELS.indexOf(level) >= rank(least)
            ? `allowed in ${least === 'anybody' ? '[]' : sightOf(level)}`
            : isJobOfNobody
              ? 'NOT_FOUND'
              : 'NOT_ALLOWED';
        if (answer !== expected) wrong.push({ name, level, answer, expected });
      }
    }
    expect(wrong).toEqual([]);
  });

  it('knows nothing of the other collection', async () => {
    const wrong: unknown[] = [];
    for (const [name] of all) {
      const [least, there, ask = plain({})] = TABLE[name];
      for (const level of LEVELS.filter((each) => each !== 'administrator')) {
        const answer = await answerTo(name, ask(foreign), headersOf[level]);
        const isJob = ask(foreign).params?.['id'] === foreign.job;
        const may = `allowed in ${least === 'anybody' ? '[]' : sightOf(level)}`;
        const expected =
          isJob && there === 'not found'
            ? 'NOT_FOUND'
            : LEVELS.indexOf(level) < rank(least)
              ? 'NOT_ALLOWED'
              : { 'not found': 'NOT_FOUND', 'not allowed': 'NOT_ALLOWED', 'nothing of it': may, 'the same': may }[
                  there
                ];
        if (answer !== expected) wrong.push({ name, level, answer, expected });
      }
    }
    expect(wrong).toEqual([]);
  });
});
