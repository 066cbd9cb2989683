/** Why something that was handed over is not taken up, by what it is. */
export const LEFT_OUT = {
  hidden: { code: 'HIDDEN', message: 'A hidden file, or one of the system.' },
  other: { code: 'NO_SOUND', message: 'No sound by its name.' },
  otherAudio: { code: 'FORMAT_NOT_SUPPORTED', message: 'A sound of a format that is not read here.' },
  leadsOut: { code: 'PATH_OUTSIDE_ROOTS', message: 'Its path leads out of where it would be put, or is too long.' },
  packInPack: { code: 'PACK_IN_PACK', message: 'A pack within a pack: unpack it and hand it over by itself.' },
  notSent: { code: 'NOT_SENT', message: 'It was not sent whole.' },
  brokenOnTheWay: { code: 'AUDIO_CHANGED', message: 'What came is not what was sent: send it again.' },
} as const;
