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

/** Date and time of day, short. */
export function formatWhen(iso: string): string {
  return new Date(iso).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });
}

/** Mono, Stereo, 5.1 or the number of channels. */
export function formatChannels(channels: number): string {
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
