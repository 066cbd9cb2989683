import path from 'node:path';
import type { RecipeName } from './recipes.ts';
import type { WavTags } from './wav-file.ts';

/** One file of the demo: which recipe, how long, how stored, where, with what metadata. Everything in it is made up. */
export interface DemoSound {
  /** Path below the drives' folder: drive, folders, name. */
  path: string;
  recipe: RecipeName;
  seconds: number;
  rate: number;
  bits: 16 | 24 | 32;
  float?: boolean;
  channels: 1 | 2 | 6;
  /** Highest sample, 0 to 1. */
  peak: number;
  tags: WavTags;
  /** Other paths that hold the same bytes. */
  alsoAt?: string[];
}

export const DRIVES = ['Mill Race', 'Kiln Shelf', 'Narrowboat'] as const;
/** Where the third drive, which goes along, has its copies. */
export const BOAT_FOLDER = `${DRIVES[2]}/along`;
const [RACE, SHELF] = DRIVES;

const MOST_ALONG_SECONDS = 4;

const FIVE_ONE = { bits: 24, channels: 6, rate: 48000 } as const;
const STEREO_48 = { bits: 24, channels: 2, rate: 48000 } as const;
const MONO_48 = { bits: 24, channels: 1, rate: 48000 } as const;
const MONO_44 = { bits: 16, channels: 1, rate: 44100 } as const;

type Stored = Pick<DemoSound, 'bits' | 'channels' | 'rate'> & { float?: boolean };
type Entry = [recipe: RecipeName, name: string, seconds: number, stored?: Stored];

/** A well-kept publisher: names in UCS form, everything tagged in every place. */
function towpathAudio(): DemoSound[] {
  const entries: [RecipeName, string, string, string, number, Stored?][] = [
    ['gooseHonk', 'BIRDFowl', 'Goose Honk Angry Close', 'geese, honk, farm, angry', 4],
    ['gooseHonk', 'BIRDFowl', 'Goose Honk Single Distant', 'geese, honk, distant', 0.8],
    ['geeseFlock', 'BIRDFowl', 'Geese Flock Gaggle Towpath', 'geese, flock, gaggle', 12, STEREO_48],
    ['wingFlap', 'WINGBird', 'Goose Wings Flap Takeoff', 'wings, flap, geese', 2.2],
    ['canalLap', 'WATRLap', 'Canal Lapping Against Brick Wall', 'water, canal, lap, brick', 12, STEREO_48],
    ['weir', 'WATRFall', 'Weir Constant Wide', 'weir, water, constant', 5, FIVE_ONE],
    ['sluice', 'WATRTurb', 'Sluice Gate Open Gush', 'sluice, gush, lock, water', 9, STEREO_48],
    ['millRace', 'WATRFlow', 'Mill Race Under Wheel', 'mill, race, water', 11, STEREO_48],
    ['boatEngine', 'BOATMotr', 'Narrowboat Diesel Idle', 'narrowboat, engine, idle, diesel', 9, STEREO_48],
    ['boatEngine', 'BOATInt', 'Narrowboat Cabin Engine Through Floor', 'narrowboat, cabin, interior', 9, STEREO_48],
    ['boatHorn', 'BOATHorn', 'Narrowboat Horn Short Blast', 'narrowboat, horn', 1.8],
    ['ropeCreak', 'ROPECreak', 'Mooring Rope Creak Tight', 'rope, mooring, creak', 6],
    ['chain', 'CHAINMvmt', 'Lock Chain Drag Over Stone', 'chain, drag, stone', 3.2],
    [
      'lockGateCreak',
      'DOORGate',
      'Lock Gate Beam Creak Heavy',
      'lock gate, beam, creak',
      7,
      { bits: 24, channels: 2, rate: 96000 },
    ],
    ['ratchet', 'MECHRtch', 'Paddle Gear Ratchet Slow', 'paddle gear, ratchet, windlass', 4],
    ['bicycleBell', 'BELLMisc', 'Towpath Bicycle Bell Twice', 'bicycle, bell', 1],
    ['birdsong', 'AMBBird', 'Hedge Birds Morning Canal', 'birds, morning, hedge', 10, STEREO_48],
    ['wind', 'WINDVege', 'Wind In Reeds Gentle', 'wind, reeds', 12, STEREO_48],
    ['rain', 'RAINWatr', 'Rain On Still Canal', 'rain, canal, water', 12, STEREO_48],
    ['splash', 'WATRSplsh', 'Bucket Thrown In Canal', 'splash, bucket', 1.6],
    ['drip', 'WATRDrip', 'Lock Chamber Drips Reverberant', 'drip, lock', 8],
    ['gravelSteps', 'FOOTGrvl', 'Towpath Gravel Walk Steady', 'footsteps, gravel, walk', 9],
  ];
  return entries.map(([recipe, catId, fxName, keywords, seconds, stored = MONO_48], index) => {
    const sourceId = 'TPA02';
    const description = `${fxName}. Recorded for the canal library at Lower Pound.`;
    const words = keywords.split(', ').join('; ');
    return {
      ...stored,
      recipe,
      seconds,
      peak: 0.7,
      path: `${RACE}/Towpath Audio/Canal Vol 2/${catId}_${fxName}_ORV_${sourceId}.wav`,
      alsoAt: index % 2 === 0 ? [`${SHELF}/Publishers/Towpath Audio/${catId}_${fxName}_ORV_${sourceId}.wav`] : [],
      tags: {
        info: {
          INAM: fxName,
          ICMT: description,
          IKEY: words,
          IPRD: 'Canal Vol 2',
          IART: 'Orla Venn',
          ICRD: '2023-04-11',
        },
        bext: { description, originator: 'Orla Venn', originationDate: '2023-04-11', originationTime: '07:30:00' },
        ixml: {
          'ASWG/catId': catId,
          'ASWG/fxName': fxName,
          'ASWG/library': 'Canal Vol 2',
          'ASWG/originator': 'Orla Venn',
          'ASWG/creatorId': 'ORV',
          'ASWG/sourceId': sourceId,
          'ASWG/recordingLoc': 'Lower Pound Lock',
        },
      },
    };
  });
}

/** A disc library of the old kind: capitals and commas, a comment and nothing else. */
function harrowAndSluice(): DemoSound[] {
  const entries: Entry[] = [
    ['lockGateCreak', 'LOCK GATE, WOODEN - CREAKS OPEN, SLOW', 8],
    ['lockGateCreak', 'LOCK GATE, WOODEN - CREAKS SHUT, HEAVY', 6],
    ['sluice', 'LOCK, CANAL - SLUICES DRAWN, WATER GUSHES', 14],
    ['boatEngine', 'BOAT, NARROWBOAT - DIESEL ENGINE, PASS BY', 12],
    ['boatHorn', 'BOAT, NARROWBOAT - HORN, SINGLE BLAST', 2],
    ['loomClack', 'LOOM, HAND - SINGLE LOOM, STEADY WEAVE', 11],
    ['loomClack', 'LOOM, POWER - WEAVING SHED, FAST', 9],
    ['millGears', 'MILL, WATER - WOODEN GEARS TURNING', 16],
    ['millGears', 'MILL, WATER - GRINDSTONE AND GEARS, INTERIOR', 18],
    ['wheelHum', 'POTTERY WHEEL, ELECTRIC - CONSTANT RUN', 13],
    ['wheelStart', 'POTTERY WHEEL, ELECTRIC - START UP', 3],
    ['claySlap', 'CLAY - SLAPPED ONTO BENCH, REPEATED', 6.6],
    ['potBreak', 'POTTERY - LARGE POT DROPPED, SMASH', 2.5],
    ['potBreak', 'CROCKERY - PLATE SMASHED ON STONE FLOOR', 2],
    ['kilnRoar', 'KILN, GAS - BURNERS ROAR, CONSTANT', 20],
    ['burnerIgnite', 'KILN, GAS - BURNER IGNITES', 3],
    ['kilnDoor', 'KILN DOOR, IRON - CLANGS SHUT', 2.4],
    ['fireCrackle', 'FIRE, WOOD - CRACKLES IN KILN FIREBOX', 15],
    ['geeseFlock', 'GEESE - FLOCK HONKING, EXCITED', 10],
    ['gooseHonk', 'GOOSE - SINGLE, HISSES AND HONKS', 3.5],
    ['handSaw', 'SAW, HAND - SAWING PLANK, SLOW', 5],
    ['hammer', 'HAMMER - ON IRON NAIL, FIVE BLOWS', 3],
    ['bell', 'BELL, CHURCH - SINGLE TOLL, DISTANT', 5],
    ['rain', 'RAIN - HEAVY, ON TARPAULIN', 17],
    ['wind', 'WIND - HOWLING THROUGH WEAVING SHED', 19],
    ['woodDoorSlam', 'DOOR, WOODEN - WORKSHOP DOOR SLAMS', 1.2],
    ['latch', 'LATCH, IRON - LIFTED AND DROPPED', 2.4],
    ['woodSteps', 'FOOTSTEPS - BOOTS ON WOODEN MILL FLOOR, WALK', 8],
  ];
  return entries.map(([recipe, name, seconds], index) => {
    const file = `${name} ${String((index % 3) + 1).padStart(2, '0')}.wav`;
    const tags: WavTags =
      index % 4 === 3 ? {} : { info: { ICMT: name, ICOP: 'Harrow & Sluice 1991', IMED: 'Compact disc' } };
    return {
      ...MONO_44,
      channels: index % 7 === 0 ? 2 : 1,
      recipe,
      seconds,
      peak: 0.9,
      tags,
      path: `${RACE}/HARROW & SLUICE/DISC ${String(Math.floor(index / 10) + 1).padStart(2, '0')}/${file}`,
      alsoAt: index % 3 === 0 ? [`${SHELF}/Old discs/HS ${index + 1} ${name.toLowerCase()}.wav`] : [],
    };
  });
}

/** A boutique with camelCase names whose metadata places contradict each other. */
function kestrelYard(): DemoSound[] {
  const kinds: [RecipeName, string, string, number][] = [
    ['potClink', 'PotteryClink_GlazedBowl', 'Bowl touched', 2.1],
    ['potSetDown', 'Pot_SetDown_WoodBench', 'Pot put on bench', 0.7],
    ['shards', 'CeramicShards_Debris', 'Shards raining', 3],
    ['potBreak', 'VaseBreak_StoneFloor', 'Vase shatters', 1.9],
    ['claySlap', 'ClaySlap_Wet', 'Clay thrown on wheel', 3.3],
    ['kilnDoor', 'KilnDoor_Clank', 'Kiln door', 2.6],
    ['whoosh', 'Whoosh_Soft', 'Air movement', 0.9],
    ['shuttle', 'LoomShuttle_Pass', 'Shuttle through the shed', 0.6],
  ];
  return kinds.flatMap(([recipe, name, comment, seconds]) =>
    [1, 2, 3, 4, 5].map((take) => ({
      rate: take === 5 ? 192000 : 96000,
      bits: take === 4 ? 32 : 24,
      float: take === 4,
      channels: take === 3 ? 2 : 1,
      recipe,
      seconds: take === 5 ? Math.min(seconds, 1.2) : seconds,
      peak: 0.35 + take * 0.12,
      path: `${RACE}/KestrelYard/${name.split('_')[0]}/KY_${name}_${String(take).padStart(2, '0')}.wav`,
      alsoAt: take === 1 ? [`${SHELF}/Publishers/Kestrel Yard/${name}.wav`] : [],
      tags: {
        info: {
          INAM: `${name}_${take}`,
          ICMT: comment,
          IPRD: 'Studio Pottery',
          IART: 'Kestrel Yard',
          IENG: 'Pim Arkwright',
          ISFT: 'Yard Recorder 3',
        },
        bext: { description: `${comment} - take ${take}`, originator: 'KY field kit' },
        ixml: {
          NOTE: take % 2 === 0 ? `${comment}, close` : comment,
          'ASWG/fxName': take % 2 === 0 ? `${comment} ${take}` : '',
          'ASWG/library': take === 2 ? 'Studio Pottery Bundle' : 'Studio Pottery',
        },
      },
    })),
  );
}

/** The department's own recordings: dates, takes, and what the recorder put into bext. */
function ownRecordings(): DemoSound[] {
  const days: [string, string, Entry[]][] = [
    [
      '2024-05-13',
      'Pottery',
      [
        ['kilnRoar', 'kiln int roar', 10, { bits: 24, channels: 2, rate: 48000 }],
        ['burnerIgnite', 'kiln burner light', 3.4],
        ['kilnDoor', 'kiln door shut hard', 2.8],
        ['wheelHum', 'clay wheel running', 16],
        ['wheelStart', 'clay wheel start', 4],
        ['claySlap', 'wedging clay on bench', 8.8],
        ['potClink', 'glazed mugs clink x6', 4.2],
        ['shards', 'broken pot bits into bucket', 2.6],
        ['roomTone', 'pottery room tone', 12, STEREO_48],
        ['clothRustle', 'potter apron rustle', 5],
      ],
    ],
    [
      '2024-05-14',
      'Lock 7',
      [
        ['lockGateCreak', 'lock gate open wide', 6, FIVE_ONE],
        ['ratchet', 'windlass on paddle gear', 5.2],
        ['sluice', 'water filling lock', 11, STEREO_48],
        ['canalLap', 'bank lapping', 11, STEREO_48],
        ['boatEngine', 'narrowboat leaves lock', 10, STEREO_48],
        ['chain', 'mooring chain down', 2.4],
        ['ropeCreak', 'rope round bollard', 6.4],
        ['gooseHonk', 'cross goose at lock', 5.1],
        ['splash', 'windlass dropped in (sorry)', 1.5],
        ['gravelSteps', 'ff gravel towpath run', 5.5],
      ],
    ],
    [
      '2024-06-02',
      'Watermill',
      [
        ['millRace', 'mill race close', 9, STEREO_48],
        ['millGears', 'pit wheel and wallower', 13, STEREO_48],
        ['loomClack', 'hand loom upstairs', 14],
        ['shuttle', 'shuttle single', 0.7],
        ['doorCreak', 'mill door creak long', 4.5],
        ['latch', 'mill door latch x4', 4.8],
        ['woodSteps', 'ff clogs on mill stairs', 6],
        ['doorKnock', 'knock on mill door', 1.7],
        ['drip', 'wheel pit drips', 12],
        ['weir', 'weir wide bed', 180, { bits: 16, channels: 1, rate: 44100 }],
      ],
    ],
  ];
  return days.flatMap(([date, place, entries]) =>
    entries.map(([recipe, name, seconds, stored = MONO_48], index) => ({
      ...stored,
      recipe,
      seconds,
      peak: 0.5,
      path: `${RACE}/Own recordings/${date} ${place}/${date.slice(2).replaceAll('-', '')}_T${String(index + 1).padStart(2, '0')}_${name}.wav`,
      alsoAt: index < 3 ? [`${SHELF}/from field recorder/${date}/T${String(index + 1).padStart(2, '0')}.wav`] : [],
      tags: {
        bext: {
          description: `Scene ${place} take ${index + 1}`,
          originator: 'Fieldkit FK-4',
          originationDate: date,
          originationTime: `10:${String(index + 10)}:00`,
        },
        ixml: { PROJECT: 'The Clay Heron', NOTE: index % 3 === 0 ? `${place}, take ${index + 1}` : '' },
      },
    })),
  );
}

/** Small folders of bare files: the folder says more than the name. */
function lowsideTextures(): DemoSound[] {
  const folders: [string, RecipeName, number, number, Stored][] = [
    ['geese/single_honks', 'gooseHonk', 8, 0.6, MONO_44],
    ['water/drips', 'drip', 8, 0.9, MONO_44],
    ['ceramics/clinks', 'potClink', 10, 0.4, MONO_44],
    ['ceramics/smashes', 'potBreak', 8, 1.6, MONO_48],
    ['wood/knocks', 'doorKnock', 7, 0.8, MONO_44],
    ['metal/chain_rattle', 'chain', 7, 1.4, MONO_48],
    ['loom/clacks', 'loomClack', 6, 1.3, MONO_48],
    ['whooshes', 'whoosh', 8, 0.9, STEREO_48],
    ['footsteps/gravel', 'gravelSteps', 6, 2.2, MONO_44],
    ['clay/slaps', 'claySlap', 6, 1.1, MONO_44],
    ['ratchets', 'ratchet', 4, 0.1, MONO_44],
  ];
  return folders.flatMap(([folder, recipe, count, seconds, stored]) =>
    Array.from({ length: count }, (_, index) => ({
      ...stored,
      recipe,
      seconds,
      peak: 0.6,
      path: `${SHELF}/lowside_textures/${folder}/${(folder.split('/').pop() ?? folder).replace(/s$/, '')}_${String(index + 1).padStart(3, '0')}.wav`,
      tags: {},
    })),
  );
}

/** What only the second drive holds: beds without names worth the word. */
function shelfOnly(): DemoSound[] {
  const entries: Entry[] = [
    ['weir', 'amb ext weir night', 9, STEREO_48],
    ['birdsong', 'amb ext canal dawn chorus', 12, STEREO_48],
    ['rain', 'amb int pottery rain on skylight', 10, STEREO_48],
    ['wind', 'amb ext reeds wind', 4, { bits: 24, channels: 6, rate: 48000 }],
    ['roomTone', 'RT kiln room', 10, STEREO_48],
    ['geeseFlock', 'canada geese flyover', 9, STEREO_48],
    ['fireCrackle', 'stove crackle CU', 18],
    ['handSaw', 'sawing heron armature wood', 6],
    ['hammer', 'tacking set wall', 3.6],
    ['clothRustle', 'foley puppet coat', 4],
    ['bell', 'Mühlglocke läutet', 4],
    ['doorCreak', 'porte grincement atelier', 3],
  ];
  return entries.map(([recipe, name, seconds, stored = MONO_48]) => ({
    ...stored,
    recipe,
    seconds,
    peak: 0.45,
    path: `${SHELF}/backgrounds and bits/${name}.wav`,
    tags: {},
  }));
}

/** Every sound of the demo, in a fixed order. */
export function demoCollection(): DemoSound[] {
  return [
    ...takenAlong([...towpathAudio(), ...harrowAndSluice(), ...kestrelYard(), ...ownRecordings()]),
    ...lowsideTextures(),
    ...shelfOnly(),
  ];
}

/** Sounds with a copy of each fourth short one on the third drive. */
function takenAlong(sounds: DemoSound[]): DemoSound[] {
  const short = sounds.filter(({ seconds }) => seconds <= MOST_ALONG_SECONDS);
  const along = new Set(short.filter((_, index) => index % 4 === 0));
  return sounds.map((sound) =>
    along.has(sound)
      ? { ...sound, alsoAt: [...(sound.alsoAt ?? []), `${BOAT_FOLDER}/${path.posix.basename(sound.path)}`] }
      : sound,
  );
}
