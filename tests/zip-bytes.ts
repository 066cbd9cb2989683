import { crc32, deflateRawSync } from 'node:zlib';

/** An entry of a ZIP file as it is laid by hand: what it says of itself may be wrong. */
export interface LaidEntry {
  /** The name, as text (UTF-8, said so) or as bytes of which nothing is said. */
  name: string | Uint8Array;
  bytes: Uint8Array;
  packed?: boolean;
  encrypted?: boolean;
  /** Instead of the true ones. */
  checksum?: number;
  saidBytes?: number;
}

const UTF8 = 0x0800;
const ENCRYPTED = 0x0001;

/** A ZIP file laid from its parts (APPNOTE.TXT §4.3), without any package that reads or writes them. */
export function zipBytes(entries: readonly LaidEntry[]): Uint8Array<ArrayBuffer> {
  const parts: Buffer[] = [];
  const directory: Buffer[] = [];
  let at = 0;
  for (const entry of entries) {
    const isText = typeof entry.name === 'string';
    const name = Buffer.from(entry.name as string);
    const packed = entry.packed === true ? deflateRawSync(entry.bytes) : Buffer.from(entry.bytes);
    // The header of the traditional encryption (§6.1.3).
    const data = entry.encrypted === true ? Buffer.concat([Buffer.alloc(12), packed]) : packed;
    const facts = Buffer.alloc(26);
    facts.writeUInt16LE(20, 0);
    facts.writeUInt16LE((isText ? UTF8 : 0) | (entry.encrypted === true ? ENCRYPTED : 0), 2);
    facts.writeUInt16LE(entry.packed === true ? 8 : 0, 4);
    facts.writeUInt32LE(entry.checksum ?? crc32(entry.bytes), 10);
    facts.writeUInt32LE(data.length, 14);
    facts.writeUInt32LE(entry.saidBytes ?? entry.bytes.length, 18);
    facts.writeUInt16LE(name.length, 22);
    const local = Buffer.concat([Buffer.from('PK\x03\x04'), facts, name, data]);
    const rest = Buffer.alloc(14);
    rest.writeUInt32LE(at, 10);
    directory.push(Buffer.concat([Buffer.from('PK\x01\x02'), Buffer.from([20, 0]), facts, rest, name]));
    parts.push(local);
    at += local.length;
  }
  const central = Buffer.concat(directory);
  const end = Buffer.alloc(18);
  end.writeUInt16LE(entries.length, 4);
  end.writeUInt16LE(entries.length, 6);
  end.writeUInt32LE(central.length, 8);
  end.writeUInt32LE(at, 12);
  return Uint8Array.from(Buffer.concat([...parts, central, Buffer.from('PK\x05\x06'), end]));
}
