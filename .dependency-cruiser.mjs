/**
 * The walls of the house (docs/architecture.md): which room may know which, and that nothing goes round in a circle. `npm run walls` checks them.
 * A test may use whatever it needs.
 */

const TEST = '\\.test\\.ts$';

const GROUND = ['db', 'rights', 'disk', 'live', 'jobs', 'workers'];
const RECORDS = [...GROUND, 'drives', 'records'];
const TOOLS = [...RECORDS, 'describing', 'finding', 'listening'];
const ALL = [...TOOLS, 'intake', 'proof', 'plans', 'delivering', 'deliveries', 'arrivals', 'sheets'];
/** For each room of the server, the others that it may know. */
const MAY_KNOW = {
  db: [],
  disk: [],
  live: ['db'],
  backup: ['db', 'disk', 'jobs', 'workers'],
  rights: ['db'],
  jobs: ['db', 'rights'],
  people: ['db', 'rights', 'live'],
  workers: ['disk'],
  drives: GROUND,
  records: [...GROUND, 'drives'],
  describing: RECORDS,
  finding: RECORDS,
  listening: RECORDS,
  intake: [...RECORDS, 'describing', 'listening'],
  proof: RECORDS,
  plans: [...TOOLS, 'intake'],
  delivering: [...TOOLS, 'intake'],
  deliveries: [...TOOLS, 'intake', 'delivering'],
  arrivals: [...TOOLS, 'intake', 'delivering'],
  sheets: [...TOOLS, 'plans'],
  routes: [...ALL, 'people', 'backup'],
  commands: [...ALL, 'people', 'routes', 'backup'],
};
/** The same for the rooms of core. */
const CORE_MAY_KNOW = {
  text: [],
  ucs: ['text'],
  record: ['text', 'ucs'],
  naming: ['text', 'ucs', 'record'],
  words: ['text', 'ucs'],
  query: ['text', 'record', 'naming'],
  suggest: ['text', 'ucs', 'record', 'naming', 'words'],
  recipes: ['text', 'ucs', 'record', 'naming', 'words', 'suggest'],
  formats: ['text', 'ucs', 'record', 'naming'],
  licences: [],
  arrivals: ['formats'],
  audio: ['text', 'record', 'formats'],
  delivery: ['record', 'naming', 'formats', 'audio'],
};
/** And of the web application: what is everywhere, then what stands on a page, then the pages. */
const EVERYWHERE = ['api', 'ui', 'stores'];
const ON_PAGES = [...EVERYWHERE, 'wave', 'player', 'lists', 'card'];
const WEB_MAY_KNOW = {
  api: [],
  ui: ['api'],
  stores: ['api', 'ui'],
  wave: EVERYWHERE,
  player: [...EVERYWHERE, 'wave'],
  jobs: EVERYWHERE,
  people: EVERYWHERE,
  plans: EVERYWHERE,
  recipes: EVERYWHERE,
  intake: EVERYWHERE,
  arriving: EVERYWHERE,
  lists: [...EVERYWHERE, 'player'],
  remarks: EVERYWHERE,
  card: [...EVERYWHERE, 'wave', 'player', 'lists', 'remarks'],
  table: ON_PAGES,
  search: ON_PAGES,
  delivery: ON_PAGES,
  setup: [...ON_PAGES, 'people', 'plans'],
  review: EVERYWHERE,
  drift: EVERYWHERE,
  sheets: EVERYWHERE,
  sound: [...ON_PAGES, 'delivery'],
  shell: [...ON_PAGES, 'jobs', 'search', 'arriving'],
  places: [
    ...ON_PAGES,
    'people',
    'jobs',
    'plans',
    'recipes',
    'intake',
    'arriving',
    'table',
    'search',
    'delivery',
    'review',
    'drift',
    'sheets',
    'remarks',
    'setup',
    'sound',
  ],
};
/** Files at the top of the server that every room may know; of the rooms they know types alone. */
const FOUNDATION = '^server/src/(app-context|data-folder|process-identity|version)\\.ts$';
const PROGRAM = '^server/src/(application|http-server)\\.ts$';
const inRooms = (building, rooms) => `^${building}/src/(${rooms.join('|')})/`;

const roomsOf = (building, mayKnow, alwaysKnown) =>
  Object.entries(mayKnow).map(([room, others]) => ({
    name: `${building}-${room}`,
    comment: `${room} may know ${others.join(', ') || 'no other room'}.`,
    severity: 'error',
    from: { path: inRooms(building, [room]), pathNot: TEST },
    to: { path: `^${building}/src/`, pathNot: [inRooms(building, [room, ...others]), ...alwaysKnown(room)] },
  }));

/** Only these open files; the others ask the disk room. Backups are no files of drives. */
const OPEN_FILES = ['disk', 'workers', 'db', 'backup', 'commands'];

/** What a workspace may not know. */
const building = (name, to) => ({
  name: `${name}-alone`,
  severity: 'error',
  from: { path: `^${name}/src/`, pathNot: TEST },
  to,
});
const packages = (names) => `(^|/)node_modules/(${names})(/|$)`;

export default {
  forbidden: [
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true } },
    { name: 'nothing-missing', severity: 'error', from: {}, to: { couldNotResolve: true } },
    ...roomsOf('server', MAY_KNOW, (room) => [FOUNDATION, ...(room === 'commands' ? [PROGRAM] : [])]),
    ...roomsOf('core', CORE_MAY_KNOW, () => ['^core/src/errors\\.ts$']),
    ...roomsOf('web', WEB_MAY_KNOW, () => []),
    {
      name: 'web-stores-without-components',
      severity: 'error',
      from: { path: ['^web/src/stores/', '^web/src/.*-store\\.ts$'] },
      to: { path: '\\.vue$' },
    },
    {
      name: 'server-files-by-disk',
      comment: `Only ${OPEN_FILES.join(', ')} open files.`,
      severity: 'error',
      from: {
        path: inRooms(
          'server',
          Object.keys(MAY_KNOW).filter((room) => !OPEN_FILES.includes(room)),
        ),
        pathNot: TEST,
      },
      to: { path: '^(node:)?fs(/promises)?$' },
    },
    building('core', { path: ['^(contract|server|web|demo|tests)/', packages('vue|express|drizzle-orm')] }),
    building('contract', { path: ['^(server|web|demo|tests)/', packages('vue')] }),
    building('server', { path: ['^(web|demo|tests)/', packages('vue')] }),
    building('web', { path: '^(server|demo|tests)/' }),
    ...['core', 'contract', 'web'].map((name) => ({
      ...building(name, { dependencyTypes: ['core'] }),
      name: `${name}-without-node`,
    })),
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '^(web/dist|server/migrations)/' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'default'],
      extensions: ['.ts', '.js', '.vue', '.json'],
    },
  },
};
