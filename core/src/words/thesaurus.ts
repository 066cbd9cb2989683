import { ONOMATOPOEIA } from './vocabulary.ts';

/** How a word stands to the one that was asked for: it means the same, more, less, or it is what the thing sounds like. */
export const RELATION_KINDS = ['same', 'broader', 'narrower', 'heard'] as const;
export type RelationKind = (typeof RELATION_KINDS)[number];

export interface RelatedWord {
  word: string;
  kind: RelationKind;
}

/** Words of the trade that mean about the same; curated, common practice. */
const SAME = `
bang, slam, boom
bed, ambience, atmosphere, background, room tone
birdsong, bird call, chirp
boat, vessel, barge
brook, stream, creek, rivulet
bump, thump, thud
burst, pop
car, automobile
carriage, cart, wagon, coach
chatter, babble, walla, crowd
clank, clang
clatter, rattle
clay, pottery, ceramic, earthenware
cloth, fabric, clothing, textile
cork, stopper
crash, smash
creak, squeak, groan
crockery, dishes, tableware, plates
crowd, audience, people, walla
crunch, crackle
debris, rubble
door, gate
drip, drop, droplet
engine, motor
fall, drop, tumble
fire, flame, blaze
flap, flutter
footstep, step, walk
forest, wood, woodland
gear, cog, cogwheel
glass, window, pane
goose, geese, gander
gravel, pebbles, shingle
gust, blast
handle, knob, grip
hinge, pivot
hiss, sizzle, fizz
hit, strike, impact, knock
horn, honk, hooter
hum, drone, buzz
indoors, interior, inside
jar, pot, jug, urn
kiln, oven, furnace
latch, bolt, catch
lid, cover, cap
lock, sluice
loom, weaving
lorry, truck
narrowboat, canal boat, barge
outdoors, exterior, outside
pan, saucepan, pot
pour, spill
pulley, winch, hoist
rain, drizzle, downpour, shower
rip, tear
river, canal, waterway
rock, stone, boulder
roll, trundle
rope, cord, line
rub, scrub, wipe
rustle, swish
scrape, scratch, grind
scream, shriek, yell
shake, rattle, jiggle
shout, yell, call
slide, drag
slosh, swash, lap
snap, crack
spin, whirl, turn, rotate
splash, plunge, plop
squeal, screech
steam, vapour, vapor
storm, thunderstorm, tempest
switch, button, toggle
tap, knock, rap
tick, tock
timber, wood, lumber, plank
tin, can
tool, instrument
tractor, farm vehicle
turbine, mill wheel
water wheel, watermill, mill wheel
weir, waterfall, cascade
wheel, disc, caster
whistle, toot
whoosh, swoosh, pass by
wind, breeze, gale
`;

/** A broad word and what falls under it. */
const NARROWER = `
animal: bird, cow, dog, goose, horse, sheep, cat, pig
bird: goose, duck, gull, crow, swan, chicken, sparrow
boat: narrowboat, barge, rowboat, ferry, sailboat
crash: smash, shatter, collapse
friction: scrape, scratch, squeak, rub, drag
impact: thud, thump, bump, bang, clunk, knock, whack, smack, slam
liquid: water, slosh, splash, drip, pour, bubble
machine: engine, motor, loom, pump, turbine, lathe
metal: clank, clang, clink, ping, rattle, jingle
noise: hiss, hum, buzz, rumble, static
tool: hammer, saw, drill, chisel, file
vehicle: car, lorry, cart, tractor, bicycle, train
water: river, canal, rain, splash, drip, waterfall, lap
weather: rain, wind, thunder, hail, storm
wood: creak, plank, timber, knock
`;

const lines = (text: string): string[] => text.trim().split('\n');
const listed = (text: string): string[] => text.split(',').map((word) => word.trim());

function curated(): ReadonlyMap<string, readonly RelatedWord[]> {
  const words = new Map<string, RelatedWord[]>();
  const add = (of: string, word: string, kind: RelationKind): void => {
    if (of === word) return;
    const known = words.get(of) ?? [];
    if (!known.some((each) => each.word === word)) known.push({ word, kind });
    words.set(of, known);
  };
  for (const line of lines(SAME)) {
    const group = listed(line);
    for (const one of group) for (const other of group) add(one, other, 'same');
  }
  for (const line of lines(NARROWER)) {
    const [broad = '', rest = ''] = line.split(':');
    for (const word of listed(rest)) {
      add(broad, word, 'narrower');
      add(word, broad, 'broader');
    }
  }
  for (const [heard, english] of ONOMATOPOEIA) {
    add(heard, english, 'heard');
    add(english, heard, 'heard');
  }
  return words;
}

let built: ReadonlyMap<string, readonly RelatedWord[]> | undefined;

/** What the curated vocabulary relates a lower-case word or phrase to, what means the same first; without the word itself. */
export function curatedRelations(word: string): readonly RelatedWord[] {
  built ??= curated();
  return built.get(word) ?? [];
}
