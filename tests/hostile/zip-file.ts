import { crc32, deflateRawSync } from 'node:zlib';

/** A ZIP file of some entries (APPNOTE.TXT 4.3), as small as its contents repeat themselves. */
export function zipFile(entries: Readonly<Record<string, string | Buffer>>): Buffer {
  const bodies: Buffer[] = [];
  const directory: Buffer[] = [];
  let offset = 0;
  for (const [name, contents] of Object.entries(entries)) {
    const plain = Buffer.from(contents);
    const packed = deflateRawSync(plain, { level: 9 });
    const common = Buffer.alloc(26);
    common.writeUInt16LE(20, 0);
    common.writeUInt16LE(8, 4);
    common.writeUInt32LE(crc32(plain), 10);
    common.writeUInt32LE(packed.length, 14);
    common.writeUInt32LE(plain.length, 18);
    common.writeUInt16LE(name.length, 22);
    const local = Buffer.concat([Buffer.from('PK\x03\x04'), common, Buffer.from(name), packed]);
    const rest = Buffer.alloc(14);
    rest.writeUInt32LE(offset, 10);
    directory.push(Buffer.concat([Buffer.from('PK\x01\x02\x14\0'), common, rest, Buffer.from(name)]));
    bodies.push(local);
    offset += local.length;
  }
  const index = Buffer.concat(directory);
  const end = Buffer.alloc(22);
  end.write('PK\x05\x06');
  end.writeUInt16LE(bodies.length, 8);
  end.writeUInt16LE(bodies.length, 10);
  end.writeUInt32LE(index.length, 12);
  end.writeUInt32LE(offset, 16);
  return Buffer.concat([...bodies, index, end]);
}

/** A workbook with one sheet, given as XML. */
export function workbook(sheet: string): Buffer {
  const main = 'http://schemas.openxmlformats.org';
  return zipFile({
    '[Content_Types].xml': `<Types xmlns="${main}/package/2006/content-types"><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/></Types>`,
    '_rels/.rels': `<Relationships xmlns="${main}/package/2006/relationships"><Relationship Id="rId1" Type="${main}/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
    'xl/workbook.xml': `<workbook xmlns="${main}/spreadsheetml/2006/main" xmlns:r="${main}/officeDocument/2006/relationships"><sheets><sheet name="a" sheetId="1" r:id="rId1"/></sheets></workbook>`,
    'xl/_rels/workbook.xml.rels': `<Relationships xmlns="${main}/package/2006/relationships"><Relationship Id="rId1" Type="${main}/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`,
    'xl/worksheets/sheet1.xml': `<worksheet xmlns="${main}/spreadsheetml/2006/main"><sheetData>${sheet}</sheetData></worksheet>`,
  });
}
