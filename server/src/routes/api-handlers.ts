import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { as, type RoleNeeded } from '@flagstone/contract/endpoint';
import type { ListFilter, Selection } from '@flagstone/contract/selection';
import { eq, sql } from 'drizzle-orm';
import { acts } from '../db/acts-schema.ts';
import type { AppContext } from '../app-context.ts';
import type { Asker } from '../people/asker.ts';
import { note } from '../people/audit-log.ts';
import * as accounts from '../people/accounts.ts';
import * as tokens from '../people/api-tokens.ts';
import { auditChoices, auditPage } from '../people/audit-pages.ts';
import { knownPeople, signedIn } from '../people/known-people.ts';
import * as keys from '../people/passkeys.ts';
import { sightAs, sightOf, type Sight } from '../rights/rights.ts';
import { collectionIsSeen, copyIsSeen, soundIsSeen, type Seen } from '../rights/seen.ts';
import { sessionsOf } from '../people/sessions.ts';
import { factsOfLink, takeLink } from '../people/sign-in-links.ts';
import * as signingIn from '../people/sign-in.ts';
import * as analyses from '../listening/analyses.ts';
import * as batches from '../intake/batches.ts';
import * as parts from '../intake/batch-parts.ts';
import { kinOf, planCut } from '../plans/cuts.ts';
import { fileTimeOf, findSlicesOf } from '../listening/listening.ts';
import { soundsAlike } from '../finding/sounds-alike.ts';
import { completionsOf } from '../finding/completions.ts';
import { folderLevel } from '../finding/folder-tree.ts';
import * as copyingOut from '../delivering/copy-out.ts';
import * as delivering from '../deliveries/deliveries.ts';
import { licencesOfEntries } from '../delivering/licences-told.ts';
import * as pulls from '../delivering/pull-lists.ts';
import * as categoryLists from '../describing/category-lists.ts';
import { getBackups, queueBackup, setBackups } from '../backup/schedule.ts';
import { findPlaces, setPlaces } from '../arrivals/collection-places.ts';
import * as collections from '../drives/collections.ts';
import { planCopies } from '../plans/copy-plan.ts';
import { countBehind, planAfterList } from '../plans/list-plan.ts';
import { startProof } from '../proof/prove-job.ts';
import { driftByDay, driftOf, driftTotals } from '../records/drift.ts';
import { contentsOf, countDisagreements } from '../records/file-contents.ts';
import { filePlaces } from '../records/file-texts.ts';
import { listDrives, updateDrive } from '../drives/drives.ts';
import { editRows, editSelection } from '../records/edits.ts';
import { goBack, revisionsOf, toldRevisionsOf } from '../records/record-history.ts';
import { undoChange } from '../records/undo-changes.ts';
import { whileWaited } from '../db/while-waited.ts';
import { countIndex } from '../finding/facets.ts';
import { fieldValues } from '../records/field-values.ts';
import { forgetLearned, listLearned } from '../records/learning.ts';
import * as folders from '../intake/read-folders.ts';
import { listLost, settleLost } from '../intake/lost-files.ts';
import * as plans from '../plans/plans.ts';
import * as licences from '../describing/licences.ts';
import * as authorities from '../describing/authorities.ts';
import * as rules from '../intake/path-rules.ts';
import * as recipes from '../describing/recipes.ts';
import { houseName, nameHouse } from '../sheets/house.ts';
import { placePerson } from '../sheets/house-people.ts';
import { sheetRecipients } from '../sheets/make-sheet.ts';
import { partsOverview } from '../sheets/parts-overview.ts';
import { planSheetNames, queueApplying } from '../sheets/sheet-job.ts';
import * as sheets from '../sheets/sheets.ts';
import * as settling from '../describing/settling.ts';
import * as review from '../describing/review.ts';
import { waitingFor } from '../describing/waiting.ts';
import { planClearing } from '../plans/clearing-plan.ts';
import { planShelving } from '../plans/shelf-plan.ts';
import { planRelocation } from '../plans/relocation.ts';
import * as layouts from '../finding/column-layouts.ts';
import { listRows } from '../finding/list-rows.ts';
import { readQuery } from '../finding/query-reading.ts';
import * as searches from '../finding/saved-searches.ts';
import { markSounds } from '../records/sound-marks.ts';
import * as relations from '../finding/word-relations.ts';
import { copiesOfSound, fullPathsOf, rowOfSound } from '../records/sound-rows.ts';
import * as removals from '../records/removals.ts';
import * as remarks from '../records/remarks.ts';
import { asSetting } from '../records/setting-acts.ts';
import { otherFormsOf } from '../records/same-recordings.ts';
import { threeWaysOf } from '../records/three-ways.ts';
import { countAdded, statisticsOf } from '../finding/statistics.ts';
import { acceptSuggestions, suggestFor } from '../describing/suggestions.ts';
import { redoLast, undoLast, type MayStill } from '../plans/undo.ts';
import { arrivalHandlers } from './arrival-handlers.ts';
import type { Call, Handlers } from './call.ts';
import { demand } from './demand.ts';
import { whereaboutsSeen } from './event-seen.ts';
import { VERSION } from '../version.ts';

/** Whose deliveries somebody sees. */
const ownDeliveries = ({ person, asker }: { person: number; asker: Asker }) =>
  delivering.deliveriesOf(person, asker.rights.isAdministrator);
/** Where somebody may put files that are delivered. */
const librarianIn = ({ asker }: { asker: Asker }): Sight => sightAs(asker.rights, 'librarian');

/** Whose change sheets somebody sees. */
const ownSheets = ({ person, asker }: { person: number; asker: Asker }) =>
  sheets.sheetsOf(person, asker.rights.isAdministrator);
const sheetReader = ({ person, asker }: { person: number; asker: Asker }) => ({
  personId: person,
  isAdministrator: asker.rights.isAdministrator,
});

/** One handler for every endpoint of the contract; a missing one does not compile. */
export const handlers: Handlers = {
  ...arrivalHandlers,
  getBackups: (app) => getBackups(app),
  setBackups: (app, { body, person }) => setBackups(app, body.schedule, person),
  makeBackup: (app, { person }) => queueBackup(app, person),
  getOverview: async (app, { asker: { rights } }) => {
    const sight = sightOf(rights);
    const { rows } = await app.db.execute<Record<string, number>>(sql`
      select (select count(*) from sounds s where ${soundIsSeen(sight, sql`s.id`)}) as sounds,
        (select count(*) from sounds s where filed_at is not null and ${soundIsSeen(sight, sql`s.id`)}) as filed,
        (select count(*) from copies c where not gone and ${copyIsSeen(sight)}) as copies,
        (select count(*) from unreadable u join batches b on b.id = u.batch_id join folders w on w.id = b.folder_id
          where ${collectionIsSeen(sight, sql`w.collection_id`)}) as unreadable,
        (select count(*) from batches b join folders w on w.id = b.folder_id
          where b.filed_at is null and ${collectionIsSeen(sight, sql`w.collection_id`)}) as open_batches`);
    const count = (name: string): number => Number(rows[0]?.[name] ?? 0);
    const { stands, prepared } = await driftTotals(app.db, sight);
    return {
      version: VERSION,
      // Only who brings in and copies out has to do with folders on disk.
      roots: isEmptySight(sightAs(rights, 'editor')) ? [] : [...app.roots.roots],
      categorySource: app.categories.source,
      counts: {
        sounds: count('sounds'),
        filed: count('filed'),
        copies: count('copies'),
        behind: stands.behind + stands.split + prepared.behind + prepared.split,
        unreadable: count('unreadable'),
        openBatches: count('open_batches'),
      },
    };
  },
  getDrift: (app, { sight }) => driftOf(app.db, sight),
  startProof: (app, { body, person, sight }) => startProof(app, body, person, sight),
  getDriftTrend: (app, { sight, query }) => driftByDay(app.db, query.days, sight),
  listPeople: (app) => knownPeople(app.db),
  listPresence: async (app, { sight }) => {
    const all = await app.presences.list();
    return Promise.all(all.map((each) => whereaboutsSeen(app.db, each, sight)));
  },
  tellWhereabouts: async (app, { body: { page, ...whereabouts }, person }) => {
    await app.presences.move(page, person, whereabouts);
    return {};
  },
  getSignedIn: (app, { asker }) => signedIn(app.db, asker),
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
  countCategoryUses: (app, { sight }) => categoryLists.countUses(app, sight),
  listCategoryLists: (app) => categoryLists.keptLists(app),
  compareCategoryList: (app, { body }) => categoryLists.compareList(app, body.list),
  getBehindList: async (app, { sight }) => ({
    ...(await categoryLists.unknownCategories(app, sight)),
    ...(await countBehind(app, sight)),
  }),
  moveCategories: (app, { body, person }) => categoryLists.moveCategories(app, body.moves, person),
  adoptCategoryList: (app, { body, person }) => categoryLists.adoptList(app, body, person),
  listDrives: async (app, { sight }) => {
    const drives = await listDrives(app, sight);
    await app.jobs.offerAwaiting();
    return drives;
  },
  updateDrive: async (app, { params, body, sight }) => {
    await updateDrive(app, params.id, body);
    await app.refreshWatching();
    await app.jobs.offerAwaiting();
    return listDrives(app, sight);
  },
  listCollections: (app, { sight }) => collections.listCollections(app, sight),
  makeCollection: (app, { body, sight }) => collections.makeCollection(app, body.name, sight),
  updateCollection: async (app, { params, body, person, asker, sight }) => {
    const { landingPath, shelfPath, shelfTemplate, ...change } = body;
    const places = await findPlaces(app, { landingPath, shelfPath, shelfTemplate });
    await asSetting(app, 'collections', person, async (inside) => {
      await collections.updateCollection(inside, params.id, change);
      await setPlaces(inside, params.id, places, person, sight);
    });
    return collections.listCollections(app, sightOf(asker.rights));
  },
  mergeCollection: (app, { params, body, sight }) => collections.mergeCollection(app, params.id, body.intoId, sight),
  listLearned: (app, { params }) => listLearned(app, params.id),
  forgetLearned: async (app, { params, body }) => {
    await forgetLearned(app, params.id, body.word);
    return {};
  },
  listReadFolders: (app, { sight }) => folders.listReadFolders(app, sight),
  updateReadFolder: async (app, { params, body, person, sight }) => {
    const folder = await asSetting(app, 'folders', person, (inside) =>
      folders.updateReadFolder(inside, params.id, body, sight),
    );
    await app.refreshWatching();
    return folder;
  },
  readAgain: (app, { params, person }) => folders.readAgain(app, params.id, person),
  countIntake: (app, { body, sight }) => folders.countIntake(app, body.path, sight),
  listFolders: async (app, { query, sight }) => {
    if (query.path === '')
      return { path: '', parent: null, folders: app.roots.roots.map((root) => ({ name: root, path: root })) };
    const found = await app.roots.foldersIn(query.path);
    const isSeen = await folders.placesSeen(app, sight);
    if (!isSeen(found.path)) throw new AppError('PATH_NOT_FOUND', `There is no folder ${query.path}.`);
    const parent = app.roots.roots.includes(found.path) ? '' : path.dirname(found.path);
    return { path: found.path, parent, folders: found.folders.filter((folder) => isSeen(folder.path)) };
  },
  startIntake: (app, { body, person, sight }) =>
    batches.startIntake(app, body.path, body.batchName, person, sight, body.collectionId),
  // Sounds in preparation are for those who describe them.
  listBatches: (app, { asker }) => batches.listBatches(app, sightAs(asker.rights, 'assistant')),
  getBatch: (app, { params, sight }) => batches.getBatch(app, params.id, sight),
  findBatchRows: (app, { params, body, sight }) => batches.findRows(app, params.id, body.copyIds, sight),
  listBatchRows: (app, { params, ...call }) => listRows(app, { kind: 'batch', batchId: params.id }, seenQuery(call)),
  listNotTaken: (app, { params }) => batches.listNotTaken(app, params.id),
  updateBatch: (app, { params, body, sight }) => parts.updateBatch(app, params.id, body, sight),
  previewSplit: (app, { params, body, sight }) => parts.previewSplit(app, params.id, body, sight),
  splitBatch: (app, { params, body, person, sight }) => parts.splitBatch(app, params.id, body, person, sight),
  moveRows: (app, call) =>
    parts.moveRows(app, call.params.id, seenBody(call).selection, call.body.to, call.person, call.sight),
  foldBatch: (app, { params, sight }) => parts.foldBack(app, params.id, sight),
  listUnreadable: (app, { params }) => batches.listUnreadable(app, params.id),
  fileBatch: (app, { params, person, sight }) => batches.fileBatch(app, params.id, person, sight),
  listCatalogue: (app, { signal, ...call }) =>
    whileWaited(signal, () => listRows(app, { kind: 'catalogue' }, seenQuery(call))),
  listFolderLevel: (app, call) => folderLevel(app, seenQuery(call), call.query.below),
  countIndex: (app, { signal, ...call }) => whileWaited(signal, () => countIndex(app, seenQuery(call))),
  completeQuery: (app, { signal, ...call }) => whileWaited(signal, () => completionsOf(app, seenQuery(call))),
  readQuery: (app, { query, sight }) => readQuery(app, query.q, sight),
  listRelations: (app) => relations.listRelations(app),
  saveRelation: (app, { body, person }) =>
    asSetting(app, 'word_relations', person, (inside) => relations.saveRelation(inside, body, person)),
  removeRelation: (app, { params, person }) =>
    asSetting(app, 'word_relations', person, (inside) => relations.removeRelation(inside, params.id)),
  previewRemoval: (app, call) => removals.previewRemoval(app, seenBody(call).selection, call.sight),
  removeSounds: (app, call) =>
    removals.removeSounds(app, seenBody(call).selection, call.body.reason, call.person, call.sight),
  listRemoved: (app, { query, sight }) => removals.listRemoved(app, query, sight),
  bringBack: async (app, { body, sight }) => ({
    broughtBack: await removals.bringSoundsBack(app, body.soundIds, sight),
  }),
  markSounds: (app, call) => markSounds(app, seenBody(call), call.person),
  listSavedSearches: (app, { person, sight }) => searches.listSavedSearches(app, person, sight),
  saveSearch: async (app, { body, person, sight }) => {
    await asSetting(app, 'saved_searches', person, (inside) => searches.saveSearch(inside, body, person, sight));
    return searches.listSavedSearches(app, person, sight);
  },
  removeSavedSearch: async (app, { params, person, sight }) => {
    await asSetting(app, 'saved_searches', person, (inside) => searches.removeSavedSearch(inside, params.id, person));
    return searches.listSavedSearches(app, person, sight);
  },
  visitSavedSearch: (app, { params, person, sight }) => searches.visitSavedSearch(app, params.id, person, sight),
  listLayouts: (app, { person }) => layouts.listLayouts(app, person),
  saveLayout: (app, { body, person }) =>
    asSetting(app, 'column_layouts', person, (inside) => layouts.saveLayout(inside, body.name, body.layout, person)),
  removeLayout: (app, { params, person }) =>
    asSetting(app, 'column_layouts', person, (inside) => layouts.removeLayout(inside, params.id, person)),
  getSound: async (app, { params, sight }) => {
    const [row, copies, revisions, toldRevisions] = await Promise.all([
      rowOfSound(app, params.id, sight),
      copiesOfSound(app, params.id, sight),
      revisionsOf(app, params.id),
      toldRevisionsOf(app, params.id),
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
    return { row, copies: told, revisions, toldRevisions };
  },
  findSlices: (app, { params, sight, body, signal }) => findSlicesOf(app, params.id, sight, body, signal),
  planCut: (app, { params, body, person, sight }) => planCut(app, params.id, body, person, sight),
  getFileTime: async (app, { params, sight }) => ({ timeReference: await fileTimeOf(app, params.id, sight) }),
  getKin: (app, { params, sight }) => kinOf(app, params.id, sight),
  listAlike: (app, { params, sight }) => soundsAlike(app, params.id, sight),
  prepareCopyOut: async (app, call) => ({
    ...(await copyingOut.sizeOf(app, { ...call.body, ...seen(call) })),
    ticket: await copyingOut.ticketFor(app, call.body, call.person),
  }),
  copyOutToFolder: (app, { body, person, sight, asker }) =>
    copyingOut.copyOutToFolder(app, { ...body, person, seenBy: sight }, sightAs(asker.rights, 'librarian')),
  listDeliveries: (app, call) => delivering.listDeliveries(app.db, ownDeliveries(call)),
  getDelivery: (app, { params, ...call }) => delivering.getDelivery(app, params.id, ownDeliveries(call)),
  makeDelivery: async (app, { body, person, sight, asker }) => {
    const id = await delivering.makeDelivery(app, body, { person, sight, librarianIn: librarianIn({ asker }) });
    return delivering.getDelivery(app, id, ownDeliveries({ person, asker }));
  },
  updateDelivery: async (app, { params, body, ...call }) => {
    await delivering.updateDelivery(app, params.id, body, ownDeliveries(call), librarianIn(call));
    return delivering.getDelivery(app, params.id, ownDeliveries(call));
  },
  removeDelivery: async (app, { params, ...call }) => {
    await delivering.removeDelivery(app.db, params.id, ownDeliveries(call));
    return delivering.listDeliveries(app.db, ownDeliveries(call));
  },
  layDelivery: async (app, { params, ...call }) => {
    await delivering.layDelivery(app, params.id, ownDeliveries(call));
    return delivering.getDelivery(app, params.id, ownDeliveries(call));
  },
  listDeliveryItems: (app, { params, query, ...call }) =>
    delivering.listDeliveryItems(app, params.id, query, ownDeliveries(call)),
  runDelivery: (app, { params, body, ...call }) =>
    delivering.runDelivery(app, params.id, body.onlyPath, ownDeliveries(call), {
      person: call.person,
      librarianIn: librarianIn(call),
    }),
  decideLicence: async (app, { params, body, ...call }) => {
    await delivering.decideLicence(app, params.id, body, ownDeliveries(call), call.person);
    await delivering.layDelivery(app, params.id, ownDeliveries(call));
    return delivering.getDelivery(app, params.id, ownDeliveries(call));
  },
  getLicence: async (app, { query }) => ({
    name: query.name,
    terms: (await licences.knownTerms(app.db))({ licence: query.name, licenceUrl: query.url }) ?? null,
  }),
  listEndingLicences: (app, { sight }) => licences.endingLicences(app.db, sight),
  saveLicenceTerms: async (app, { params, body, person, sight }) => {
    await asSetting(app, 'authorities', person, (inside) => licences.saveTerms(inside.db, params.id, body.terms));
    return authorities.listAuthorities(app, sight);
  },
  listDeliveryProfiles: (app) => delivering.listProfiles(app.db),
  saveDeliveryProfile: async (app, { body, person }) => {
    await delivering.saveProfile(app.db, body.name, body.profile, person);
    return delivering.listProfiles(app.db);
  },
  removeDeliveryProfile: async (app, { params, person, asker }) => {
    await delivering.removeProfile(app.db, params.id, person, asker.rights.isAdministrator);
    return delivering.listProfiles(app.db);
  },
  listUses: (app, { params, person, sight }) => pulls.usesOf(app, params.id, person, sight),
  listPullLists: (app, { person, sight }) => pulls.listPullLists(app, person, sight),
  makePullList: (app, { body, person, sight }) => pulls.makePullList(app, body, person, sight),
  updatePullList: (app, { params, body, person, sight }) => pulls.updatePullList(app, params.id, body, person, sight),
  removePullList: (app, { params, person, sight }) => pulls.removePullList(app, params.id, person, sight),
  listPullEntries: (app, { params, sight }) => pulls.entriesOf(app, params.id, sight),
  addPullEntry: (app, { params, body, person, sight }) => pulls.addEntry(app, params.id, body, person, sight),
  addPullSounds: (app, call) => pulls.addSounds(app, call.params.id, seenBody(call).selection, call.person),
  listPullLicences: async (app, { params, sight }) =>
    licencesOfEntries(app.db, await pulls.entriesOf(app, params.id, sight)),
  takePullEntries: (app, { params, body, person, sight }) => pulls.takeEntries(app, params.id, body, person, sight),
  removePullEntries: (app, { params, body, person, sight }) =>
    pulls.removeEntries(app, params.id, body.entryIds, person, sight),
  updatePullEntry: (app, { params, body, person, sight }) => pulls.updateEntry(app, params.id, body, person, sight),
  getAnalysis: (app, { params }) => analyses.getAnalysis(app, params.id),
  getWaves: (app, { query, sight }) => analyses.smallWaves(app, query.sounds.split(',').map(Number), sight),
  listLost: (app, { query, sight }) => listLost(app, query.after, sight),
  settleLost: async (app, { body, person, sight }) => ({ settled: await settleLost(app, body, person, sight) }),
  getStatistics: (app, { sight }) => statisticsOf(app, sight),
  countAdded: (app, { query, sight }) => countAdded(app, query.since, sight),
  listOtherForms: (app, { params, sight }) => otherFormsOf(app, params.id, sight),
  getThreeWays: (app, { params }) => threeWaysOf(app.db, params.id),
  getContents: (app, { params }) => contentsOf(app, params.id),
  countDisagreements: (app, call) => countDisagreements(app, seenBody(call).selection),
  countValues: (app, call) => fieldValues(app, seenBody(call).selection),
  goBack: (app, { params, body, person }) => goBack(app, params.id, body.revision, person),
  editRecords: (app, call) => editSelection(app, seenBody(call).selection, call.body.edit, call.person, call.body.asOf),
  editRows: (app, { body, person, sight }) => editRows(app, body.edits, body.summary, person, sight, body.asOf),
  listRemarks: (app, { params, query }) => remarks.remarksOn(app.db, params.id, query.before),
  addRemark: (app, { params, body, person, sight }) => remarks.addRemark(app, params.id, body.text, person, sight),
  removeRemark: (app, { params, person, sight }) => remarks.removeRemark(app, params.id, person, sight),
  settleRemark: (app, { params, body, person, sight }) =>
    remarks.settleRemark(app, params.id, body.isDone, person, sight),
  listWaiting: (app, call) => waitingFor(app.db, reviewer(call)),
  listProposals: (app, call) => review.reviewQueue(app, reviewer(call), call.query),
  countProposals: (app, call) => review.proposersOf(app.db, reviewer(call)),
  decideProposals: (app, { body, person, sight }) => review.decideProposals(app, person, body, sight),
  withdrawProposals: (app, { body, person }) => review.withdrawProposals(app, person, body.ids),
  listPathRules: (app) => rules.listPathRules(app),
  addPathRule: (app, { body, person }) =>
    asSetting(app, 'path_rules', person, (inside) => rules.addPathRule(inside, body, person)),
  removePathRule: (app, { params, person }) =>
    asSetting(app, 'path_rules', person, (inside) => rules.removePathRule(inside, params.id)),
  runPathRules: async (app, call) => ({
    changed: await rules.runPathRules(app, seenBody(call).selection, call.person),
  }),
  listAuthorities: (app, { sight }) => authorities.listAuthorities(app, sight),
  saveAuthority: async (app, { body, person, sight }) => {
    await asSetting(app, 'authorities', person, (inside) => authorities.saveAuthority(inside, body));
    return authorities.listAuthorities(app, sight);
  },
  removeAuthority: async (app, { params, person, sight }) => {
    await asSetting(app, 'authorities', person, (inside) => authorities.removeAuthority(inside, params.id));
    return authorities.listAuthorities(app, sight);
  },
  gatherAuthorities: async (app, { person, sight }) => {
    await asSetting(app, 'authorities', person, (inside) => authorities.gatherAuthorities(inside, sight));
    return authorities.listAuthorities(app, sight);
  },
  mergeAuthority: (app, { params, body, person, sight }) =>
    authorities.mergeAuthority(app, params.id, body.intoId, person, sight),
  listRecipes: (app, { person }) => recipes.listRecipes(app, person),
  saveRecipe: (app, { body, person }) =>
    asSetting(app, 'recipes', person, (inside) => recipes.saveRecipe(inside, body, person)),
  removeRecipe: (app, { params, person }) =>
    asSetting(app, 'recipes', person, (inside) => recipes.removeRecipe(inside, params.id, person)),
  listFilePlaces: (app, call) => filePlaces(app.db, seenBody(call).selection),
  previewRecipe: (app, { signal, ...call }) => recipes.previewRecipe(app, seenBody(call), call.body.from, signal),
  countRecipe: (app, { signal, ...call }) => recipes.countRecipe(app, seenBody(call), signal),
  runRecipe: (app, call) => recipes.runRecipe(app, seenBody(call), call.person, call.body.name),
  listSettlingRules: (app) => settling.listSettlingRules(app.db),
  keepSettlingRule: (app, { body, person }) =>
    asSetting(app, 'settling_rules', person, ({ db }) => settling.keepSettlingRule(db, body, person)),
  removeSettlingRule: (app, { params, person }) =>
    asSetting(app, 'settling_rules', person, ({ db }) => settling.removeSettlingRule(db, params.id)),
  previewSettling: (app, { signal, ...call }) =>
    settling.previewSettling(app, seenBody(call).selection, call.body.afterCopyId, signal),
  countSettling: (app, { signal, ...call }) => settling.countSettling(app, seenBody(call).selection, signal),
  runSettling: (app, call) => settling.runSettling(app, seenBody(call).selection, call.person, call.body.asOf),
  suggest: (app, { body, sight }) => suggestFor(app, body.copyIds, sight),
  acceptSuggestions: (app, call) => acceptSuggestions(app, seenBody(call).selection, call.body, call.person),
  undoLast: async (app, { body, person, asker, caller }) => {
    const planId = body?.planId;
    const line = { what: 'undoes a plan', about: `id ${planId}`, by: actingAs(asker), address: caller.address };
    // Only that touches files; undoing a word in a record stands in its history.
    if (planId !== undefined) await note(app.db, line);
    return undoLast(app, person, mayStill(app, asker), planId);
  },
  redoLast: (app, { person, asker }) => redoLast(app, person, mayStill(app, asker)),
  undoChange: (app, { params, person }) => undoChange(app, params.id, person),
  planRelocation: (app, { body, person, sight }) => planRelocation(app, body, person, sight),
  makePlan: (app, call) => plans.makePlan(app, seenBody(call), call.person),
  planAfterList: (app, { person, sight }) => planAfterList(app, person, sight),
  planShelving: (app, call) =>
    planShelving(app, { ...seenBody(call), batchId: call.body.batchId }, call.person, call.sight),
  planClearing: (app, call) => planClearing(app, seenBody(call), call.person, call.sight),
  planCopies: (app, call) => planCopies(app, seenBody(call), call.person, call.sight),
  getPlan: (app, { params }) => plans.getPlan(app, params.id),
  listPlanItems: (app, { params, query }) => plans.listItems(app, params.id, query.after, query.limit),
  runPlan: (app, { params, body, person }) => plans.runPlan(app, params.id, body, person),
  undoPlan: (app, { params, person }) => plans.undoPlan(app, params.id, person),
  listSheets: (app, call) => sheets.listSheets(app.db, ownSheets(call)),
  getSheet: (app, { params, ...call }) => sheets.getSheet(app.db, params.id, ownSheets(call)),
  listSheetItems: (app, { params, query, ...call }) =>
    sheets.listSheetItems(app, params.id, query, ownSheets(call), call.sight),
  applySheet: async (app, { params, body, person, ...call }) => {
    await sheets.getSheet(app.db, params.id, ownSheets({ person, ...call }));
    return queueApplying(app, params.id, body, person);
  },
  getSheetParts: async (app, { params, ...call }) =>
    partsOverview(app.db, await sheets.getSheet(app.db, params.id, ownSheets(call)), sheetReader(call)),
  placeSheetPerson: async (app, { params, body, ...call }) => {
    const sheet = await sheets.getSheet(app.db, params.id, ownSheets(call));
    await app.db.transaction((tx) => placePerson(tx, sheet.manifest.house.id, body, sheetReader(call)));
    return partsOverview(app.db, sheet, sheetReader(call));
  },
  planSheetNames: async (app, { params, person, sight, ...call }) => {
    await sheets.getSheet(app.db, params.id, ownSheets({ person, ...call }));
    return planSheetNames(app, params.id, person, sight);
  },
  removeSheet: async (app, { params, ...call }) => {
    await sheets.removeSheet(app.db, params.id, ownSheets(call));
    return sheets.listSheets(app.db, ownSheets(call));
  },
  getHouse: (app) => houseName(app.db),
  nameHouse: (app, { body }) => nameHouse(app.db, body.name),
  listSheetRecipients: (app) => sheetRecipients(app.db),
  listJobs: (app, { person, sight }) => app.jobs.list(person, sight),
  cancelJob: (app, { params }) => app.jobs.ask(params.id, 'cancel'),
  pauseJob: (app, { params }) => app.jobs.ask(params.id, 'pause'),
  resumeJob: (app, { params }) => app.jobs.resume(params.id),
};

type Asking = Pick<Call<unknown, unknown, unknown>, 'person' | 'sight'>;
const seen = ({ person, sight }: Asking): Seen => ({ person, seenBy: sight });
/** A list as whoever asks sees it. */
const seenQuery = <Query extends ListFilter>(call: Asking & { query: Query }) => ({ ...call.query, ...seen(call) });
/** The same for what they chose from a list. */
const seenBody = <Body extends { selection: Selection }>(call: Asking & { body: Body }) => ({
  ...call.body,
  selection: { ...call.body.selection, ...seen(call) },
});

/** What an act changed asks for the same role when it is taken back. */
function mayStill(app: AppContext, asker: Asker): MayStill {
  const ask = (needed: RoleNeeded, id: number) => demand(app, asker, needed, { params: { id }, query: {}, body: {} });
  return async (of, id) => {
    if (of === 'change') return ask(as('assistant', 'change'), id);
    if (of === 'plan') return ask(as('librarian', 'plan'), id);
    const [act] = await app.db.select().from(acts).where(eq(acts.id, id));
    if (act?.kind === 'propose') await ask(as('assistant', 'anything'), id);
    if (act?.kind === 'pull') await ask(as('editor', 'anything'), id);
    for (const { table, id: rowId, before, after } of act?.rows ?? []) {
      if (table === 'batches') await ask(as('librarian', 'batch'), rowId);
      if (table === 'remarks') await ask(as('editor', 'sound'), Number(after?.['sound_id']));
      if (table === 'collections') await ask(as('librarian', 'collection'), rowId);
      if (table === 'folders') await ask(as('librarian', 'readFolder'), rowId);
      for (const row of [before, after])
        if (table === 'folders' && row?.['collection_id'] !== undefined)
          await ask(as('librarian', 'collection'), Number(row['collection_id']));
      if (table === 'path_rules' || table === 'authorities') await ask(as('librarian', 'everything'), 0);
      if (table === 'word_relations') await ask(as('librarian', 'anything'), 0);
    }
  };
}

const reviewer = ({ person, sight, asker }: Asking & { asker: Asker }) => ({
  personId: person,
  sight,
  decides: sightAs(asker.rights, 'librarian'),
});

const isEmptySight = (sight: Sight): boolean => sight !== 'all' && sight.length === 0;

const actingAs = ({ personId, name }: Asker) => ({ id: personId, name });

/** Gives the browser its new session and tells who it is for. */
async function beginIn(app: AppContext, secret: string, session: { begin: (secret: string) => void }) {
  const owner = await app.askers.find('session', secret);
  session.begin(secret);
  if (!owner) throw new AppError('SIGN_IN_REQUIRED', 'Nobody is signed in here.');
  return signedIn(app.db, owner);
}
