/** The number of this page among all that are open, made anew when it is loaded: a UUID of version 4 (RFC 9562), also where `crypto.randomUUID` is kept from pages without TLS. */
export const PAGE_ID = uuidFrom(crypto.getRandomValues(new Uint8Array(16)));

/** A UUID of version 4 from sixteen random bytes. */
export function uuidFrom(bytes: Uint8Array): string {
  const made = Uint8Array.from(bytes);
  made[6] = ((made[6] ?? 0) & 0x0f) | 0x40;
  made[8] = ((made[8] ?? 0) & 0x3f) | 0x80;
  const hex = [...made].map((byte) => byte.toString(16).padStart(2, '0')).join('');
  return hex.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, '$1-$2-$3-$4-$5');
}
