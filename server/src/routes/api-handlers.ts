import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import type { Api } from '@flagstone/contract/api';
import type { Endpoint } from '@flagstone/contract/endpoint';
import { sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Asker } from '../people/asker.ts';
import { note, type Caller } from '../people/audit-log.ts';
import * as accounts from '../people/accounts.ts';
import * as tokens from '../people/api-tokens.ts';
import { auditChoices, auditPage } from '../people/audit-pages.ts';
import { knownPeople, signedIn } from '../people/known-people.ts';
import * as keys from '../people/passkeys.ts';
import type { Site } from '../people/passkeys.ts';
import { sessionsOf } from '../people/sessions.ts';
import { factsOfLink, takeLink } from '../people/sign-in-links.ts';
import * as signingIn from '../people/sign-in.ts';
import * as analyses from '../listening/analyses.ts';
import * as batches from '../intake/batches.ts';
import { kinOf, planCut } from '../plans/cuts.ts';
import { fileTimeOf, findSlicesOf } from '../listening/listening.ts';
import { soundsAlike } from '../finding/sounds-alike.ts';
import { completionsOf } from '../finding/completions.ts';
import { folderLevel } from '../finding/folder-tree.ts';
import * as copyingOut from '../delivering/copy-out.ts';
import * as pulls from '../delivering/pull-lists.ts';
import * as categoryLists from '../describing/category-lists.ts';
import * as collections from '../drives/collections.ts';
import { contentsOf, countDisagreements } from '../records/file-contents.ts';
import { listDrives, updateDrive } from '../drives/drives.ts';
import { editRows, editSelection, goBack, revisionsOf, undoChange } from '../records/edits.ts';
import { whileWaited } from '../db/while-waited.ts';
import { countIndex } from '../finding/facets.ts';
import { fieldValues } from '../records/field-values.ts';
import { forgetLearned, listLearned } from '../records/learning.ts';
import * as folders from '../intake/read-folders.ts';
import { listLost, settleLost } from '../intake/lost-files.ts';
import * as plans from '../plans/plans.ts';
import * as authorities from '../describing/authorities.ts';
import * as rules from '../intake/path-rules.ts';
import * as recipes from '../describing/recipes.ts';
import { planRelocation } from '../plans/relocation.ts';
import * as layouts from '../finding/column-layouts.ts';
import { listRows } from '../finding/list-rows.ts';
import { readQuery } from '../finding/query-reading.ts';
import * as searches from '../finding/saved-searches.ts';
import { markSounds } from '../records/sound-marks.ts';
import * as relations from '../finding/word-relations.ts';
import { copiesOfSound, fullPathsOf, rowOfSound } from '../records/sound-rows.ts';
import { countAdded, statisticsOf } from '../finding/statistics.ts';
import { acceptSuggestions, suggestFor } from '../describing/suggestions.ts';
import { redoLast, undoLast } from '../plans/undo.ts';
import { VERSION } from '../version.ts';

/** What a handler gets of a request, parsed. */
export interface Call<Params, Query, Body> {
  params: Params;
  query: Query;
  body: Body;
  /** Who asks; 0 where nobody has to be signed in. */
  person: number;
  asker: Asker;
  caller: Caller;
  site: Site;
  /** The secret of the session that the browser has, and what gives it another one or none. */
  session: { secret: string | undefined; begin: (secret: string) => void; end: () => void };
  /** Aborted when nobody waits for the answer any more. */
  signal: AbortSignal;
}

type HandlerOf<E> =
  E extends Endpoint<infer Params, infer Query, infer Body, infer Response>
    ? (app: AppContext, call: Call<Params, Query, Body>) => Promise<Response>
    : never;

/** One handler for every endpoint of the contract; a missing one does not compile. */
export const handlers: { [Name in keyof Api]: HandlerOf<Api[Name]> } = {
  getOverview: async (app) => {
    const { rows } = await app.db.execute<Record<string, number>>(sql`
      select (select count(*) from sounds) as sounds, (select count(*) from sounds where filed_at is not null) as filed,
        (select count(*) from copies where not gone) as copies, (select count(*) from unreadable) as unreadable,
        (select count(*) from copies c join records r on r.sound_id = c.sound_id where not c.gone and c.carries_revision < r.revision) as behind,
        (select count(*) from batches where filed_at is null) as open_batches`);
    const count = (name: string): number => Number(rows[0]?.[name] ?? 0);
    return {
      version: VERSION,
      roots: [...app.roots.roots],
      categorySource: app.categories.source,
      counts: {
        sounds: count('sounds'),
        filed: count('filed'),
        copies: count('copies'),
        behind: count('behind'),
        unreadable: count('unreadable'),
        openBatches: count('open_batches'),
      },
    };
  },
  listPeople: (app) => knownPeople(app.db),
  getSignedIn: (app, { person }) => signedIn(app.db, person),
  signIn: async (app, { body, caller, session }) => {
    const secret = await signingIn.signIn(app, body, caller);
    return beginIn(app, secret, session);
  },
  signOut: async (app, { caller, session }) => {
    await signingIn.signOut(app, session.secret, caller);
    session.end();
    return {};
  },
  listDemoPeople: (app) => Promise.resolve([...app.demoPeople]),
  signInDemo: async (app, { params, caller, session }) =>
    beginIn(app, await signingIn.signInDemo(app, params.id, caller), session),
  getLink: (app, { body }) => factsOfLink(app.db, body.secret),
  takeLink: async (app, { body, caller, session }) => beginIn(app, await takeLink(app, body, caller), session),
  changePassword: async (app, { body, asker, caller }) => {
    await signingIn.changePassword(app, asker, body, caller);
    return sessionsOf(app.db, asker.personId, asker.sessionId);
  },
  listSessions: (app, { asker }) => sessionsOf(app.db, asker.personId, asker.sessionId),
  endSession: async (app, { params, asker, caller }) => {
    await signingIn.endOwnSession(app, asker, params.id, caller);
    return sessionsOf(app.db, asker.personId, asker.sessionId);
  },
  beginPasskeySignIn: async (app, { site }) => ({ ...(await keys.signInOptions(app, site)) }),
  signInByPasskey: async (app, { body, site, caller, session }) =>
    beginIn(app, await keys.signInByPasskey(app, body.response, site, caller), session),
  listPasskeys: (app, { person }) => keys.passkeysOf(app.db, person),
  beginPasskey: async (app, { asker, site }) => ({ ...(await keys.passkeyOptions(app, asker, site)) }),
  addPasskey: async (app, { body, asker, site, caller, person }) => {
    await keys.keepPasskey(app, asker, body, site, caller);
    return keys.passkeysOf(app.db, person);
  },
  endPasskey: async (app, { params, asker, caller, person }) => {
    await keys.endPasskey(app, asker, params.id, caller);
    return keys.passkeysOf(app.db, person);
  },
  listTokens: (app, { person }) => tokens.tokensOf(app.db, person),
  makeToken: async (app, { body, person, asker, caller }) => {
    const token = await tokens.makeToken(app, person, body, actingAs(asker), caller);
    return { tokens: await tokens.tokensOf(app.db, person), token };
  },
  endToken: async (app, { params, person, asker, caller }) => {
    const ended = await tokens.endToken(app, person, params.id, actingAs(asker), caller);
    if (!ended) throw new AppError('NOT_FOUND', 'There is no such token any more.');
    return tokens.tokensOf(app.db, person);
  },
  listAudit: (app, { query: { before, limit, ...filter } }) => auditPage(app.db, filter, before, limit),
  listAuditChoices: (app) => auditChoices(app.db),
  listAccounts: (app) => accounts.listAccounts(app.db),
  addAccount: async (app, { body, asker, caller }) => {
    const secret = await accounts.addAccount(app, body, actingAs(asker), caller);
    return { accounts: await accounts.listAccounts(app.db), secret };
  },
  changeAccount: async (app, { params, body, asker, caller }) => {
    await accounts.changeAccount(app, params.id, body, actingAs(asker), caller);
    return accounts.listAccounts(app.db);
  },
  makeAccountLink: async (app, { params, asker, caller }) => {
    const secret = await accounts.makeAccountLink(app, params.id, actingAs(asker), caller);
    return { accounts: await accounts.listAccounts(app.db), secret };
  },
  listCategories: (app) =>
    Promise.resolve({ source: app.categories.source, categories: [...app.categories.categories] }),
  countCategoryUses: (app) => categoryLists.countUses(app),
  listCategoryLists: (app) => categoryLists.keptLists(app),
  compareCategoryList: (app, { body }) => categoryLists.compareList(app, body.list),
  adoptCategoryList: (app, { body, person }) => categoryLists.adoptList(app, body, person),
  listDrives: async (app) => {
    const drives = await listDrives(app);
    await app.jobs.offerAwaiting();
    return drives;
  },
  updateDrive: async (app, { params, body }) => {
    await updateDrive(app, params.id, body);
    await app.refreshWatching();
    await app.jobs.offerAwaiting();
    return listDrives(app);
  },
  listCollections: (app) => collections.listCollections(app),
  makeCollection: (app, { body }) => collections.makeCollection(app, body.name),
  updateCollection: (app, { params, body }) => collections.updateCollection(app, params.id, body),
  mergeCollection: (app, { params, body }) => collections.mergeCollection(app, params.id, body.intoId),
  listLearned: (app, { params }) => listLearned(app, params.id),
  forgetLearned: async (app, { params, body }) => {
    await forgetLearned(app, params.id, body.word);
    return {};
  },
  listReadFolders: (app) => folders.listReadFolders(app),
  updateReadFolder: async (app, { params, body }) => {
    const folder = await folders.updateReadFolder(app, params.id, body);
    await app.refreshWatching();
    return folder;
  },
  readAgain: (app, { params, person }) => folders.readAgain(app, params.id, person),
  countIntake: (app, { body }) => folders.countIntake(app, body.path),
  listFolders: async (app, { query }) => {
    if (query.path === '')
      return { path: '', parent: null, folders: app.roots.roots.map((root) => ({ name: root, path: root })) };
    const found = await app.roots.foldersIn(query.path);
    const parent = app.roots.roots.includes(found.path) ? '' : path.dirname(found.path);
    return { path: found.path, parent, folders: found.folders };
  },
  startIntake: (app, { body, person }) =>
    batches.startIntake(app, body.path, body.batchName, person, body.collectionId),
  listBatches: (app) => batches.listBatches(app),
  getBatch: (app, { params }) => batches.getBatch(app, params.id),
  listBatchRows: (app, { params, query }) => listRows(app, { kind: 'batch', batchId: params.id }, query),
  listUnreadable: (app, { params }) => batches.listUnreadable(app, params.id),
  fileBatch: (app, { params, person }) => batches.fileBatch(app, params.id, person),
  listCatalogue: (app, { query, signal }) => whileWaited(signal, () => listRows(app, { kind: 'catalogue' }, query)),
  listFolderLevel: (app, { query: { below, ...filter } }) => folderLevel(app, filter, below),
  countIndex: (app, { query, signal }) => whileWaited(signal, () => countIndex(app, query)),
  completeQuery: (app, { query, signal }) => whileWaited(signal, () => completionsOf(app, query)),
  readQuery: (app, { query }) => readQuery(app, query.q),
  listRelations: (app) => relations.listRelations(app),
  saveRelation: (app, { body, person }) => relations.saveRelation(app, body, person),
  removeRelation: (app, { params }) => relations.removeRelation(app, params.id),
  markSounds: (app, { body, person }) => markSounds(app, body, person),
  listSavedSearches: (app, { person }) => searches.listSavedSearches(app, person),
  saveSearch: (app, { body, person }) => searches.saveSearch(app, body, person),
  removeSavedSearch: (app, { params, person }) => searches.removeSavedSearch(app, params.id, person),
  visitSavedSearch: (app, { params, person }) => searches.visitSavedSearch(app, params.id, person),
  listLayouts: (app, { person }) => layouts.listLayouts(app, person),
  saveLayout: (app, { body, person }) => layouts.saveLayout(app, body.name, body.layout, person),
  removeLayout: (app, { params, person }) => layouts.removeLayout(app, params.id, person),
  getSound: async (app, { params }) => {
    const [row, copies, revisions] = await Promise.all([
      rowOfSound(app, params.id),
      copiesOfSound(app, params.id),
      revisionsOf(app, params.id),
    ]);
    if (!row) throw new AppError('NOT_FOUND', `There is no sound ${params.id}.`);
    const paths = await fullPathsOf(
      app.db,
      copies.map(({ copyId }) => copyId),
    );
    const told = copies.map((copy) => ({
      ...copy,
      container: copy.facts.container,
      fullPath: paths.get(copy.copyId) ?? '',
    }));
    return { row, copies: told, revisions };
  },
  findSlices: (app, { params, body, signal }) => findSlicesOf(app, params.id, body, signal),
  planCut: (app, { params, body, person }) => planCut(app, params.id, body, person),
  getFileTime: async (app, { params }) => ({ timeReference: await fileTimeOf(app, params.id) }),
  getKin: (app, { params }) => kinOf(app, params.id),
  listAlike: (app, { params }) => soundsAlike(app, params.id),
  prepareCopyOut: async (app, { body, person }) => ({
    ...(await copyingOut.sizeOf(app, body)),
    ticket: await copyingOut.ticketFor(app, body, person),
  }),
  copyOutToFolder: (app, { body, person }) => copyingOut.copyOutToFolder(app, body, person),
  listPullLists: (app) => pulls.listPullLists(app),
  makePullList: (app, { body, person }) => pulls.makePullList(app, body, person),
  updatePullList: (app, { params, body, person }) => pulls.updatePullList(app, params.id, body, person),
  removePullList: (app, { params, person }) => pulls.removePullList(app, params.id, person),
  listPullEntries: (app, { params }) => pulls.entriesOf(app, params.id),
  addPullEntry: (app, { params, body, person }) => pulls.addEntry(app, params.id, body, person),
  addPullSounds: (app, { params, body, person }) => pulls.addSounds(app, params.id, body.selection, person),
  updatePullEntry: (app, { params, body, person }) => pulls.updateEntry(app, params.id, body, person),
  removePullEntry: (app, { params, person }) => pulls.removeEntry(app, params.id, person),
  getAnalysis: (app, { params }) => analyses.getAnalysis(app, params.id),
  getWaves: (app, { query }) => analyses.smallWaves(app, query.sounds.split(',').map(Number)),
  listLost: (app, { query }) => listLost(app, query.after),
  settleLost: async (app, { body, person }) => ({ settled: await settleLost(app, body, person) }),
  getStatistics: (app) => statisticsOf(app),
  countAdded: (app, { query }) => countAdded(app, query.since),
  getContents: (app, { params }) => contentsOf(app, params.id),
  countDisagreements: (app, { body }) => countDisagreements(app, body.selection),
  countValues: (app, { body }) => fieldValues(app, body.selection),
  goBack: (app, { params, body, person }) => goBack(app, params.id, body.revision, person),
  editRecords: (app, { body, person }) => editSelection(app, body.selection, body.edit, person),
  editRows: (app, { body, person }) => editRows(app, body.edits, body.summary, person),
  listPathRules: (app) => rules.listPathRules(app),
  addPathRule: (app, { body, person }) => rules.addPathRule(app, body, person),
  removePathRule: (app, { params }) => rules.removePathRule(app, params.id),
  runPathRules: async (app, { body, person }) => ({
    changed: await rules.runPathRules(app, body.selection, person),
  }),
  listAuthorities: (app) => authorities.listAuthorities(app),
  saveAuthority: (app, { body }) => authorities.saveAuthority(app, body),
  removeAuthority: (app, { params }) => authorities.removeAuthority(app, params.id),
  gatherAuthorities: (app) => authorities.gatherAuthorities(app),
  mergeAuthority: (app, { params, body, person }) => authorities.mergeAuthority(app, params.id, body.intoId, person),
  listRecipes: (app, { person }) => recipes.listRecipes(app, person),
  saveRecipe: (app, { body, person }) => recipes.saveRecipe(app, body, person),
  removeRecipe: (app, { params, person }) => recipes.removeRecipe(app, params.id, person),
  previewRecipe: (app, { body, signal }) => recipes.previewRecipe(app, body, body.from, signal),
  countRecipe: (app, { body, signal }) => recipes.countRecipe(app, body, signal),
  runRecipe: (app, { body, person }) => recipes.runRecipe(app, body, person, body.name),
  suggest: (app, { body }) => suggestFor(app, body.copyIds),
  acceptSuggestions: (app, { body, person }) => acceptSuggestions(app, body.selection, body, person),
  undoLast: async (app, { body, person, asker, caller }) => {
    const planId = body?.planId;
    const line = { what: 'undoes a plan', about: `id ${planId}`, by: actingAs(asker), address: caller.address };
    // Only that touches files; undoing a word in a record stands in its history.
    if (planId !== undefined) await note(app.db, line);
    return undoLast(app, person, planId);
  },
  redoLast: (app, { person }) => redoLast(app, person),
  undoChange: (app, { params, person }) => undoChange(app, params.id, person),
  planRelocation: (app, { body, person }) => planRelocation(app, body, person),
  makePlan: (app, { body, person }) => plans.makePlan(app, body, person),
  getPlan: (app, { params }) => plans.getPlan(app, params.id),
  listPlanItems: (app, { params, query }) => plans.listItems(app, params.id, query.after, query.limit),
  runPlan: (app, { params, body, person }) => plans.runPlan(app, params.id, body.onlyItemId, person),
  undoPlan: (app, { params, person }) => plans.undoPlan(app, params.id, person),
  listJobs: (app) => app.jobs.list(),
  cancelJob: (app, { params }) => app.jobs.ask(params.id, 'cancel'),
  pauseJob: (app, { params }) => app.jobs.ask(params.id, 'pause'),
  resumeJob: (app, { params }) => app.jobs.resume(params.id),
};

const actingAs = ({ personId, name }: Asker) => ({ id: personId, name });

/** Gives the browser its new session and tells who it is for. */
async function beginIn(app: AppContext, secret: string, session: { begin: (secret: string) => void }) {
  const owner = await app.askers.find('session', secret);
  session.begin(secret);
  return signedIn(app.db, owner?.personId ?? 0);
}
