import { overviewEndpoints, overviewRawEndpoints } from './overview.ts';
import { backupsEndpoints } from './backups.ts';
import { auditEndpoints, auditRawEndpoints } from './audit.ts';
import { presenceEndpoints } from './presence.ts';
import { peopleEndpoints } from './people.ts';
import { categoryListsEndpoints } from './category-lists.ts';
import { drivesEndpoints } from './drives.ts';
import { driftEndpoints } from './drift.ts';
import { collectionsEndpoints } from './collections.ts';
import { intakeEndpoints } from './intake.ts';
import { catalogueEndpoints } from './catalogue.ts';
import { facetsEndpoints } from './facets.ts';
import { readingEndpoints } from './reading.ts';
import { marksEndpoints } from './marks.ts';
import { savedSearchesEndpoints } from './saved-searches.ts';
import { layoutsEndpoints } from './layouts.ts';
import { recordEndpoints } from './record.ts';
import { contentsEndpoints } from './contents.ts';
import { changesEndpoints } from './changes.ts';
import { remarksEndpoints } from './remarks.ts';
import { reviewEndpoints } from './review.ts';
import { listeningEndpoints, listeningRawEndpoints } from './listening.ts';
import { measuresEndpoints, measuresRawEndpoints } from './measures.ts';
import { pullListsEndpoints, pullListsRawEndpoints } from './pull-lists.ts';
import { licencesEndpoints } from './licences.ts';
import { arrivalsEndpoints } from './arrivals.ts';
import { removalsEndpoints } from './removals.ts';
import { deliveriesEndpoints } from './deliveries.ts';
import { copyOutEndpoints, copyOutRawEndpoints } from './copy-out.ts';
import { exportsRawEndpoints } from './exports.ts';
import { importsRawEndpoints } from './imports.ts';
import { lostEndpoints } from './lost.ts';
import { statisticsEndpoints } from './statistics.ts';
import { rulesEndpoints } from './rules.ts';
import { authoritiesEndpoints } from './authorities.ts';
import { recipesEndpoints } from './recipes.ts';
import { suggestionsEndpoints } from './suggestions.ts';
import { settlingEndpoints } from './settling.ts';
import { proofEndpoints } from './proof.ts';
import { recordingsEndpoints } from './recordings.ts';
import { plansEndpoints } from './plans.ts';
import { sheetsEndpoints, sheetsRawEndpoints } from './sheets.ts';
import { jobsEndpoints, jobsRawEndpoints } from './jobs.ts';

/** Every address of the API that speaks JSON. */
export const api = {
  ...overviewEndpoints,
  ...peopleEndpoints,
  ...presenceEndpoints,
  ...auditEndpoints,
  ...backupsEndpoints,
  ...categoryListsEndpoints,
  ...drivesEndpoints,
  ...driftEndpoints,
  ...collectionsEndpoints,
  ...intakeEndpoints,
  ...catalogueEndpoints,
  ...facetsEndpoints,
  ...readingEndpoints,
  ...marksEndpoints,
  ...savedSearchesEndpoints,
  ...layoutsEndpoints,
  ...recordEndpoints,
  ...contentsEndpoints,
  ...changesEndpoints,
  ...remarksEndpoints,
  ...reviewEndpoints,
  ...listeningEndpoints,
  ...measuresEndpoints,
  ...pullListsEndpoints,
  ...copyOutEndpoints,
  ...deliveriesEndpoints,
  ...arrivalsEndpoints,
  ...removalsEndpoints,
  ...licencesEndpoints,
  ...lostEndpoints,
  ...statisticsEndpoints,
  ...rulesEndpoints,
  ...authoritiesEndpoints,
  ...recipesEndpoints,
  ...suggestionsEndpoints,
  ...settlingEndpoints,
  ...proofEndpoints,
  ...recordingsEndpoints,
  ...plansEndpoints,
  ...sheetsEndpoints,
  ...jobsEndpoints,
};
export type Api = typeof api;

/** Every other one: audio, pictures of it, files that are made, tables, live events. */
export const rawApi = {
  ...overviewRawEndpoints,
  ...listeningRawEndpoints,
  ...measuresRawEndpoints,
  ...pullListsRawEndpoints,
  ...copyOutRawEndpoints,
  ...auditRawEndpoints,
  ...exportsRawEndpoints,
  ...importsRawEndpoints,
  ...sheetsRawEndpoints,
  ...jobsRawEndpoints,
};
export type RawApi = typeof rawApi;
