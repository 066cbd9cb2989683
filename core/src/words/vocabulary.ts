/**
 * Words that the category list alone does not weigh rightly: what tells of the recording and not of the sound, what leads to the place of
 * an event, what marks a background, and shorthand of the trade. Common practice of file names, put together from general knowledge.
 */
const words = (text: string): ReadonlySet<string> => new Set(text.trim().split(/\s+/));

/** Of takes, microphones, formats, perspective and degree: alone they say nothing about the category. */
export const RECORDING_WORDS = words(`
  take takes track tracks tk edit edits version ver final raw master mix mixed premix stem alt alternate pt part file files clip disc disk cd vol volume reel roll session sessions rec recs recording
  recordings recorded sound sounds sfx fx effect effects library libraries collection pack packs kit kits bits tools various misc assorted layer layered element elements source sweetener sweetner
  mono stereo quad surround binaural ambisonic ambix ortf xy ab ms lr lcr mkh sm km schoeps mic mics micd lav lavalier shotgun parab parabolic contact contactmic contactmics omni cardioid pair tripod boom handheld
  close closeup cu xcu mcu med medium mid dist distance perspective persp pov onboard near far wide room
  loop loops loopable seamless oneshot oneshots variation variations var multiple single series long short sec secs min mins hz khz bit
  big small large huge tiny little heavy light hard soft fast slow quick low high loud quiet gentle slight strong old new good bad real dry wet
  left right up down ltor rtol l r x a b f m w d t v the of and with without for to in on at by from into onto over under an its it no not only just very more less one two three four five six seven eight nine ten
  feature scene shot ep episode ref temp lead pass test demo dev untitled audio wav aif aiff flac mp
  europe european american german french spanish italian english
  side front rear back edge middle center centre top bottom general full half multi multiple
`);

/** Whether a word of a name tells of the sound: letters alone do not, but for those of writing without spaces. */
export function isTelling(word: string, shortest = 2): boolean {
  return !RECORDING_WORDS.has(word) && (word.length >= shortest || word.charCodeAt(0) > 127);
}

/** Behind these stands where, on what or with what something happens, not what it is. */
export const PREPOSITIONS = words(
  'on onto in into inside over across under against from at through with by near of along behind between off below above',
);

/** They say that a file is a background. */
export const BACKGROUND_WORDS = words(
  'amb ambs ambi ambience ambiences ambiance ambient atmo atmos atmosphere bg bgs background backgrounds backg roomtone roomtones soundscape soundscapes',
);

/** With the name of a place they make a background likelier. */
export const PLACE_CUES = words(
  'interior int exterior ext busy quiet calm night nighttime day daytime morning afternoon evening dawn dusk midnight noon lunch distant constant continuous steady sparse dense overview general ortf ab xy quad binaural surround crowded empty atmosphere traffic voices people kids children tourists spring summer autumn winter',
);

/** Categories that are materials: a material mostly tells what a thing is made of, and the thing decides. */
export const MATERIAL_CATEGORIES: ReadonlySet<string> = new Set([
  'WOOD',
  'METAL',
  'GLASS',
  'PLASTIC',
  'RUBBER',
  'CERAMICS',
  'PAPER',
  'CLOTH',
  'LEATHER',
  'ROCKS',
]);

/** Shorthand of the trade, and words that the list has under another one. */
export const SHORTHAND: Readonly<Record<string, string>> = {
  fstep: 'footstep',
  fsteps: 'footsteps',
  fs: 'footsteps',
  ftsp: 'footsteps',
  ft: 'footsteps',
  wsh: 'whoosh',
  whsh: 'whoosh',
  whoosh: 'whoosh',
  expl: 'explosion',
  explo: 'explosion',
  imp: 'impact',
  impt: 'impact',
  mvmt: 'movement',
  mech: 'mechanical',
  veh: 'vehicle',
  eng: 'engine',
  dr: 'door',
  rt: 'room tone',
  roomtone: 'room tone',
  roomtones: 'room tone',
  bgs: 'ambience',
  bg: 'ambience',
  amb: 'ambience',
  atmo: 'ambience',
  atmos: 'ambience',
  ambiance: 'ambience',
  int: 'interior',
  ext: 'exterior',
  vox: 'voice',
  ui: 'user interface',
  hud: 'user interface',
  btn: 'button',
  elec: 'electricity',
  anml: 'animal',
  anim: 'animal',
  wpn: 'weapon',
  wpns: 'weapons',
  gunsh: 'gunshot',
  gs: 'gunshot',
  mc: 'motorcycle',
  heli: 'helicopter',
  prj: 'projectile',
  proj: 'projectile',
  crwd: 'crowd',
  hwy: 'highway',
  motorway: 'highway',
  moto: 'motorcycle',
  ppl: 'people',
  pax: 'people',
  cig: 'cigarette',
  fridge: 'refrigerator',
  loco: 'locomotive',
  perc: 'percussion',
  synth: 'synthesizer',
  amp: 'amplifier',
  ir: 'impulse response',
  toons: 'cartoon',
  toon: 'cartoon',
};

/** Sounds written as they are heard, without doubled letters, and what makes them. */
const HEARD_AS: Readonly<Record<string, string>> = {
  buzz: 'bz bzt',
  growl: 'gr gror grwl',
  roar: 'ror rawr rar',
  vibrate: 'br brm',
  horn: 'bwap bwa awoga awuga',
  honk: 'honk hon',
  beep: 'bep blip bip',
  laser: 'pew piu zap',
  punch: 'pow',
  impact: 'wham',
  bang: 'bam blam',
  explosion: 'kabom kablam',
  boom: 'bom thom dom',
  thump: 'thum thmp dumf',
  smack: 'thwack thwak smak whack',
  slap: 'thwap whap wap',
  clunk: 'clonk klunk klonk kachunk',
  clang: 'klang',
  clink: 'klink clnk',
  clack: 'klak',
  click: 'klik tok tak chk clk tk',
  tick: 'tik tock tiktok ticktock',
  crash: 'krsh krash kersh krsch',
  crack: 'krak krk crk',
  snap: 'snp',
  drip: 'plip plop plink drp',
  splash: 'splsh splosh kerplunk kersplash plosh',
  squish: 'splorch squelch squish splrt',
  suction: 'schlup shlup slp',
  pour: 'glug glub',
  bubbles: 'blub blp blop',
  fizz: 'fsh fiz fs',
  'air release': 'psh pshht psht',
  puff: 'pft pf pfoo',
  sizzle: 'ts tsh sz',
  whisper: 'pst',
  sword: 'shing schwing',
  ricochet: 'peow pyow ptang',
  swish: 'swsh fwip swip',
  whoosh: 'swosh fwosh wosh fwom',
  zipper: 'zip zrp',
  'car rev': 'vrom vrm brum',
  'motor running': 'putput chug',
  bell: 'ding dong tring brng',
  crying: 'wah wa boho',
  laugh: 'haha hehe hihi',
  scream: 'argh agh ah',
  groan: 'urgh ugh',
  effort: 'hngh umph of ngh hnf',
  hiccup: 'hic',
  sneeze: 'acho achu',
  snore: 'z zzz',
  'dog bark': 'wof arf ruf',
  cow: 'mo mu',
  sheep: 'ba',
  pig: 'oink',
  frog: 'ribit ribet',
  'horse hooves': 'clop clopclop',
  rooster: 'cockadodledo kikeriki',
  squeak: 'sqek squek skrek',
  creak: 'crek krek',
  screech: 'skre skrech',
  boing: 'boing boying sproing',
};

/** The English word for a sound as it is heard, by its letters without doubles. */
export const ONOMATOPOEIA: ReadonlyMap<string, string> = new Map(
  Object.entries(HEARD_AS).flatMap(([english, heard]) => heard.split(' ').map((word) => [word, english] as const)),
);

/** What happens in the subcategories that many categories have; said of their rows a little, beside what the rows say of themselves. */
export const SUBCATEGORY_WORDS: Readonly<Record<string, string>> = {
  IMPACT:
    'impact, hit, drop, fall, thud, strike, bang, thump, knock, clunk, clonk, whack, smack, slam, throw, bounce, pound, set down, toss, land',
  BREAK: 'break, snap, crack, smash, shatter, split, splinter, crunch, bust, burst',
  'CRASH & DEBRIS': 'crash, debris, collapse, rubble, smash, topple, cascade, spill, pile',
  FRICTION: 'scrape, scratch, screech, grind, rub, slide, drag, squeal, squeak, scuff, file',
  MOVEMENT: 'movement, rustle, rattle, shake, jiggle, roll, shift, move',
  HANDLE: 'handle, handling, pick up, grab, put down, fumble, hold',
  TONAL: 'tonal, resonance, ring, sing, bow, tone, hum, ringing',
  CREAK: 'creak, squeak, groan, stress',
  RIP: 'rip, tear, torn',
  TEAR: 'tear, rip',
  INTERIOR: 'interior, inside, indoors',
  DOOR: 'door, hatch, open, close, slam',
  HORN: 'horn, honk, toot',
  ENGINE: 'engine, motor, idle, rev',
  MECHANISM: 'mechanism, lever, cocking, reload',
  WHOOSH: 'whoosh, pass by, fly by',
  SPLASH: 'splash, plunge',
  DRIP: 'drip, drop',
};

/** Numbers and letters together that say what makes the sound. */
export const NUMBERED: readonly (readonly [RegExp, string])[] = [
  [/(?<![a-z\d])\d{1,2}[ _-]?(?:ga|gauge)(?![a-z\d])/gi, ' pump action shotgun '],
  [/(?<![a-z\d])(?:9|10)[ _-]?mm(?![a-z\d])/gi, ' pistol '],
  [/(?<![a-z\d])\d{2,3}[ _-]?cal(?:iber|ibre)?(?![a-z\d])/gi, ' gun '],
  [/(?<![a-z\d])8[ _-]?bit(?![a-z\d])/gi, ' lofi video game '],
  [/(?<![a-z\d])7[0-8]7(?![a-z\d])/g, ' jet airliner '],
];
