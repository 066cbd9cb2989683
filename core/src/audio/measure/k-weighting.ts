/** A second-order filter, a0 being 1. */
export interface Biquad {
  b0: number;
  b1: number;
  b2: number;
  a1: number;
  a2: number;
}

/**
 * The two filters of K-weighting (ITU-R BS.1770-4 annex 1, tables 1 and 2) for any sample rate. The standard gives coefficients at 48 kHz
 * only; these are the analogue prototypes that give exactly those, taken through the bilinear transform (common practice; a test holds
 * them to the tables).
 */
export function kWeighting(sampleRateHz: number): { shelf: Biquad; highPass: Biquad } {
  const shelfK = Math.tan((Math.PI * Math.min(1681.974450955533, sampleRateHz * 0.49)) / sampleRateHz);
  const shelfQ = 0.7071752369554196;
  const high = 10 ** (3.999843853973347 / 20);
  const band = high ** 0.4996667741545416;
  const shelfA0 = 1 + shelfK / shelfQ + shelfK * shelfK;
  const passK = Math.tan((Math.PI * 38.13547087602444) / sampleRateHz);
  const passQ = 0.5003270373238773;
  const passA0 = 1 + passK / passQ + passK * passK;
  return {
    shelf: {
      b0: (high + (band * shelfK) / shelfQ + shelfK * shelfK) / shelfA0,
      b1: (2 * (shelfK * shelfK - high)) / shelfA0,
      b2: (high - (band * shelfK) / shelfQ + shelfK * shelfK) / shelfA0,
      a1: (2 * (shelfK * shelfK - 1)) / shelfA0,
      a2: (1 - shelfK / shelfQ + shelfK * shelfK) / shelfA0,
    },
    highPass: {
      b0: 1,
      b1: -2,
      b2: 1,
      a1: (2 * (passK * passK - 1)) / passA0,
      a2: (1 - passK / passQ + passK * passK) / passA0,
    },
  };
}
