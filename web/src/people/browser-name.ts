/** What a browser is called in a few words, by the most telling parts of its user agent string; the string itself where none is known. */
export function browserName(agent: string): string {
  const browser = BROWSERS.find(([part]) => part.test(agent))?.[1];
  const system = SYSTEMS.find(([part]) => part.test(agent))?.[1];
  if (browser === undefined) return agent === '' ? 'Unknown' : agent.slice(0, 60);
  return system === undefined ? browser : `${browser} on ${system}`;
}

/** In this order: each later one is named by those before it too. */
const BROWSERS = [
  [/Edg\//, 'Edge'],
  [/OPR\//, 'Opera'],
  [/Firefox\//, 'Firefox'],
  [/Chrome\//, 'Chromium or Chrome'],
  [/Safari\//, 'Safari'],
] as const;

const SYSTEMS = [
  [/Android/, 'Android'],
  [/iPhone|iPad/, 'iOS'],
  [/Windows/, 'Windows'],
  [/Mac OS X/, 'macOS'],
  [/Linux/, 'Linux'],
] as const;
