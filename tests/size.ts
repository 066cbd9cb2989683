/** `./flagstone test --deep` looks longer: more kills, more damaged files, larger folders. Usually sizes are such that known faults were found by them. */
const isDeep = process.env['FLAGSTONE_TEST_DEEP'] === '1';

/** How large a test is, usually and when it looks deep. */
export function sized(usual: number, deep: number): number {
  return isDeep ? deep : usual;
}
