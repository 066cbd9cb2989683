import { crc32 } from 'node:zlib';

/** A ZIP (PKWARE, APPNOTE.TXT 6.3) of files that are stored as they are, under whatever names: no packer gives hostile ones. */
export function storedZip(files: Record<string, Buffer | string>): Buffer {
  const parts: Buffer[] = [];
  const headings: Buffer[] = [];
  let offset = 0;
  for (const [name, content] of Object.entries(files)) {
    const [title, bytes] = [Buffer.from(name), Buffer.from(content)];
    // Version, UTF-8 names, stored, no time; then what both headings say of the file.
    const common = Buffer.alloc(26);
    common.writeUInt16LE(20, 0);
    common.writeUInt16LE(0x0800, 2);
    common.writeUInt32LE(crc32(bytes), 10);
    common.writeUInt32LE(bytes.length, 14);
    common.writeUInt32LE(bytes.length, 18);
    common.writeUInt16LE(title.length, 22);
    const local = Buffer.concat([Buffer.from('PK\x03\x04'), common, title, bytes]);
    const place = Buffer.alloc(14);
    place.writeUInt32LE(offset, 10);
    headings.push(Buffer.concat([Buffer.from('PK\x01\x02\x14\x00'), common, place, title]));
    parts.push(local);
    offset += local.length;
  }
  const directory = Buffer.concat(headings);
  const end = Buffer.alloc(18);
  end.writeUInt16LE(headings.length, 4);
  end.writeUInt16LE(headings.length, 6);
  end.writeUInt32LE(directory.length, 8);
  end.writeUInt32LE(offset, 12);
  return Buffer.concat([...parts, directory, Buffer.from('PK\x05\x06'), end]);
}
