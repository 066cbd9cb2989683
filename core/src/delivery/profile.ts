import type { LevelTarget } from '../audio/convert/sound-converter.ts';
import type { NameRules } from './target-name.ts';

/** In which files sounds are delivered; `asIs` for those that they stand in. */
export const DELIVERED_CONTAINERS = ['asIs', 'WAV', 'AIFF', 'FLAC', 'MP3', 'Ogg'] as const;
export type DeliveredContainer = (typeof DELIVERED_CONTAINERS)[number];
/** Bits of a sample, whole numbers but for the last. */
export const DELIVERED_DEPTHS = ['asIs', '16', '24', '32 float'] as const;
export type DeliveredDepth = (typeof DELIVERED_DEPTHS)[number];
/** All in one file; a file for each; folded to a pair or to one (ITU-R BS.775). */
export const DELIVERED_CHANNELS = ['asIs', 'split', 'stereo', 'mono'] as const;
export type DeliveredChannels = (typeof DELIVERED_CHANNELS)[number];

/** What sounds become when they are delivered. */
export interface DeliveredAudio {
  container: DeliveredContainer;
  /** Hz; null for as it is. */
  sampleRateHz: number | null;
  depth: DeliveredDepth;
  /** Noise of a fraction of a step where samples are made shorter; without it they are rounded. */
  dither: boolean;
  channels: DeliveredChannels;
  level: LevelTarget;
}

/** How a delivery is packed: as a folder, as one ZIP file, or as a bag (RFC 8493). */
export const PACKINGS = ['folder', 'zip', 'bag'] as const;
export type Packing = (typeof PACKINGS)[number];
/** By which a bag's manifests prove its files. */
export const BAG_DIGESTS = ['sha256', 'sha512'] as const;
export type BagDigest = (typeof BAG_DIGESTS)[number];

/** In which folders files are laid: side by side, as on the drives, or by a template of fields. */
export type DeliveredFolders = { kind: 'flat' } | { kind: 'asOnDrives' } | { kind: 'template'; template: string };
/** What files are called: as they are, or by a template of fields. */
export type DeliveredNames = { kind: 'asIs' } | { kind: 'template'; template: string };

/** What is put beside the sounds. */
export const SIDECARS = ['table', 'attribution', 'markers', 'report'] as const;
export type Sidecar = (typeof SIDECARS)[number];

/** All that is kept of how a delivery is made, whatever is delivered. */
export interface DeliveryProfile {
  audio: DeliveredAudio;
  folders: DeliveredFolders;
  names: DeliveredNames;
  nameRules: NameRules;
  /** Each record is written into its copy. */
  withRecord: boolean;
  sidecars: readonly Sidecar[];
  packing: Packing;
  bagDigest: BagDigest;
}

const AS_IT_IS: DeliveredAudio = {
  container: 'asIs',
  sampleRateHz: null,
  depth: 'asIs',
  dither: true,
  channels: 'asIs',
  level: { kind: 'asIs' },
};

/** The files as they are, side by side: what a profile of one's own begins with. */
export const PLAIN_PROFILE: DeliveryProfile = {
  audio: AS_IT_IS,
  folders: { kind: 'flat' },
  names: { kind: 'asIs' },
  nameRules: { characters: 'any', letterCase: 'asIs', spaces: 'kept', mostBytes: 251 },
  withRecord: true,
  sidecars: [],
  packing: 'folder',
  bagDigest: 'sha256',
};

/**
 * Profiles that ship, named by what they are for. Broadcast: 48 kHz and 24 bits, and a loudness of -23 LUFS with -1 dBTP (EBU R 128). Game: mono at 48 kHz and 16 bits under names
 * that every build tool takes (common practice). Archive: the files as they are, proved by a bag.
 */
export const SHIPPED_PROFILES: Readonly<Record<'broadcast' | 'game' | 'archive', DeliveryProfile>> = {
  broadcast: {
    ...PLAIN_PROFILE,
    audio: {
      ...AS_IT_IS,
      container: 'WAV',
      sampleRateHz: 48_000,
      depth: '24',
      channels: 'stereo',
      level: { kind: 'loudness', lufs: -23, ceilingDbtp: -1 },
    },
    folders: { kind: 'template', template: '{category}/{subCategory}' },
    sidecars: ['table', 'attribution', 'report'],
  },
  game: {
    ...PLAIN_PROFILE,
    audio: { ...AS_IT_IS, container: 'WAV', sampleRateHz: 48_000, depth: '16', channels: 'mono' },
    folders: { kind: 'template', template: '{category}' },
    nameRules: { characters: 'portable', letterCase: 'lower', spaces: 'underscores', mostBytes: 100 },
    sidecars: ['table', 'attribution'],
  },
  archive: {
    ...PLAIN_PROFILE,
    folders: { kind: 'asOnDrives' },
    sidecars: ['table', 'attribution', 'markers'],
    packing: 'bag',
    bagDigest: 'sha512',
  },
};
export type ShippedProfile = keyof typeof SHIPPED_PROFILES;
