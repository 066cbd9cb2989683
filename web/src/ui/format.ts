/** A length as 0:07.3 or 1:02:03; seconds in. */
export function formatLength(seconds: number): string {
  if (!Number.isFinite(seconds)) return '';
  if (seconds < 60) return `0:${seconds.toFixed(1).padStart(4, '0')}`;
  const whole = Math.round(seconds);
  const [hours, minutes, rest] = [
    Math.floor(whole / 3600),
    Math.floor((whole % 3600) / 60),
    String(whole % 60).padStart(2, '0'),
  ];
  return hours > 0 ? `${hours}:${String(minutes).padStart(2, '0')}:${rest}` : `${minutes}:${rest}`;
}

/** Bytes as 1.2 MB (powers of ten). */
export function formatBytes(bytes: number): string {
  const units = ['B', 'kB', 'MB', 'GB', 'TB'];
  const power = bytes < 1000 ? 0 : Math.min(units.length - 1, Math.floor(Math.log10(bytes) / 3));
  return `${(bytes / 1000 ** power).toFixed(power === 0 ? 0 : 1)} ${units[power]}`;
}

/** 44100 as 44.1, 48000 as 48. */
export function formatKilohertz(hertz: number): string {
  return String(Math.round(hertz / 100) / 10);
}

/** One file, 42 files. */
export function counted(count: number, one: string, many = `${one}s`): string {
  return `${count.toLocaleString('en')} ${count === 1 ? one : many}`;
}

/** Day, month and year. */
export function formatDay(iso: string): string {
  return new Date(iso).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' });
}

/** Date and time of day, short. */
export function formatWhen(iso: string): string {
  return new Date(iso).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });
}

/** The layout as it was measured, with a capital; before that Mono, Stereo, 5.1 or the number of channels. */
export function formatChannels(channels: number, layout = ''): string {
  if (layout !== '' && !layout.endsWith('channels')) return layout.charAt(0).toUpperCase() + layout.slice(1);
  return { 1: 'Mono', 2: 'Stereo', 6: '5.1', 8: '7.1' }[channels] ?? `${channels} ch`;
}

/** A field's value as text: lists joined by commas, `empty` for nothing. */
export function formatValue(value: unknown, empty = '(empty)'): string {
  if (Array.isArray(value)) return value.length > 0 ? value.join(', ') : empty;
  return (typeof value === 'string' && value !== '') || typeof value === 'number' ? String(value) : empty;
}

/** How many items of a job went wrong, in the word that fits it; empty when none did. */
export function formatFailed(job: { kind: string; failed: number }): string {
  if (job.failed === 0) return '';
  return `✕ ${job.failed.toLocaleString('en')} ${job.kind === 'index' ? 'unreadable' : 'failed'}`;
}

/** A level as −23.1 LUFS, with a true minus; a dash where there is none. */
export function formatLevel(value: number | null, unit: string): string {
  return value === null ? '–' : `${value.toFixed(1).replace('-', '−')} ${unit}`;
}

/** 440 Hz, 12.3 kHz. */
export function formatFrequency(hertz: number): string {
  return hertz < 1000 ? `${Math.round(hertz)} Hz` : `${(hertz / 1000).toFixed(1)} kHz`;
}

/** Seconds to a hundredth, as 1.20 s. */
export function formatSeconds(seconds: number): string {
  return `${seconds.toFixed(2)} s`;
}

/** A range as the address bar has it, 2..10, in words: 2 to 10 s, from 2 s, below 10 s. */
export function formatRange(range: string, unit: string): string {
  const [from = '', to = ''] = range.replaceAll('-', '−').split('..');
  if (from === '') return `below ${to} ${unit}`;
  return to === '' ? `from ${from} ${unit}` : `${from} to ${to} ${unit}`;
}

/** How long a job still takes at the rate it has, as "about 3 min left"; empty while that cannot be told. */
export function formatTimeLeft(
  job: { done: number; failed: number; total: number | null; startedAt: string | null },
  now: number,
): string {
  const worked = job.done + job.failed;
  if (job.total === null || job.startedAt === null || worked === 0 || worked >= job.total) return '';
  const elapsed = (now - Date.parse(job.startedAt)) / 1000;
  if (elapsed < 2) return '';
  const left = (elapsed / worked) * (job.total - worked);
  if (left < 60) return `about ${Math.max(1, Math.round(left))} s left`;
  if (left < 5400) return `about ${Math.round(left / 60)} min left`;
  return `about ${(left / 3600).toFixed(1)} h left`;
}
