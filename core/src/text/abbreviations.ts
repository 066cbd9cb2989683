/** Abbreviations of the trade, in capitals or as a word of their own, and what they stand for (common practice). */
export const ABBREVIATIONS: Readonly<Record<string, string>> = {
  INT: 'Interior',
  EXT: 'Exterior',
  AMB: 'Ambience',
  ATMOS: 'Atmosphere',
  BG: 'Background',
  CU: 'Close Up',
  MCU: 'Medium Close Up',
  XCU: 'Extreme Close Up',
  DX: 'Dialogue',
  FX: 'Effects',
  MX: 'Music',
  FSTEP: 'Footstep',
  FSTEPS: 'Footsteps',
  IMP: 'Impact',
  EXPL: 'Explosion',
  MVMT: 'Movement',
  MECH: 'Mechanical',
  VEH: 'Vehicle',
  ENG: 'Engine',
  WHSH: 'Whoosh',
  RT: 'Room Tone',
  VOX: 'Voice',
  DIST: 'Distant',
  PERSP: 'Perspective',
  HVY: 'Heavy',
  LRG: 'Large',
  SM: 'Small',
  MED: 'Medium',
  LT: 'Light',
};

/** A text with its abbreviations written out, in the letters of the abbreviation: “amb” becomes “ambience”, “AMB” “Ambience”. */
export function expandAbbreviations(text: string): string {
  return text.replace(/[\p{L}\p{N}]+/gu, (word) => {
    const full = ABBREVIATIONS[word.toUpperCase()];
    if (full === undefined) return word;
    return word === word.toLowerCase() ? full.toLowerCase() : full;
  });
}
