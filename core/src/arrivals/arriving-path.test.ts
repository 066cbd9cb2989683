import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { arrivingKind, arrivingPath } from './arriving-path.ts';
import { zipName } from './zip-name.ts';

const bytes = (...values: number[]): Uint8Array => Uint8Array.from(values);
const latin = (text: string): Uint8Array => Uint8Array.from(text, (letter) => letter.charCodeAt(0));

describe('a path that is handed over', () => {
  it('is kept as it is, with forward slashes and without empty parts', () => {
    expect(arrivingPath('Kiln pack/Day 1/door.wav')).toBe('Kiln pack/Day 1/door.wav');
    expect(arrivingPath('./Kiln pack\\Day 1//door.wav')).toBe('Kiln pack/Day 1/door.wav');
  });

  it.each([
    '../door.wav',
    'a/../../door.wav',
    '/etc/door.wav',
    'C:\\door.wav',
    'c:door.wav',
    'a\0.wav',
    '',
    './',
    'x'.repeat(1100),
  ])('is refused where it leads elsewhere or is too long: %j', (path) => expect(arrivingPath(path)).toBeUndefined());

  it('never leads out, whatever it is', () => {
    const part = fc.oneof(
      fc.constantFrom('..', '.', '', '/', '\\', 'C:', '~'),
      fc.string({ unit: 'binary', maxLength: 8 }),
    );
    fc.assert(
      fc.property(fc.array(part, { maxLength: 6 }), (parts) => {
        const path = arrivingPath(parts.join('/'));
        if (path === undefined) return;
        expect(path.startsWith('/')).toBe(false);
        expect(path.split('/')).not.toContain('..');
        expect(path.split('/')).not.toContain('');
      }),
    );
  });

  it.each([
    ['Pack/door.WAV', 'sound'],
    ['Pack/notes.pdf', 'other'],
    ['Pack.zip', 'pack'],
    ['Pack/door.ape', 'otherAudio'],
    ['__MACOSX/Pack/._door.wav', 'hidden'],
    ['.trash/door.wav', 'hidden'],
    ['Pack/Desktop.ini', 'hidden'],
  ])('is told apart by its name: %s is %s', (path, kind) => expect(arrivingKind(path)).toBe(kind));
});

describe('a name in a ZIP file', () => {
  const plain = { flags: 0, extraFields: [] };

  it('is UTF-8 where that is said, or where it can be nothing else', () => {
    const name = new TextEncoder().encode('Ofentür.wav');
    expect(zipName({ ...plain, bytes: name, flags: 0x800 })).toEqual({ name: 'Ofentür.wav', isGuessed: false });
    expect(zipName({ ...plain, bytes: name })).toEqual({ name: 'Ofentür.wav', isGuessed: true });
    expect(zipName({ ...plain, bytes: latin('door.wav') })).toEqual({ name: 'door.wav', isGuessed: false });
  });

  it('is that of its own field for names in Unicode', () => {
    const data = Uint8Array.from([1, 0, 0, 0, 0, ...new TextEncoder().encode('Ofentür.wav')]);
    const extraFields = [{ id: 0x7075, data }];
    expect(zipName({ flags: 0, bytes: latin('Ofent_r.wav'), extraFields }).name).toBe('Ofentür.wav');
  });

  it('is of code page 437 where nothing is said', () => {
    // ü is 0x81 there, é 0x82, ß 0xE1 (CP437.TXT).
    expect(zipName({ ...plain, bytes: bytes(0x54, 0x81, 0x72, 0x82, 0xe1) }).name).toBe('Türéß');
  });

  it('is Shift-JIS where that gives Japanese', () => {
    // ドア, JIS X 0208 as Shift-JIS.
    expect(zipName({ ...plain, bytes: bytes(0x83, 0x68, 0x83, 0x41) })).toEqual({ name: 'ドア', isGuessed: true });
  });
});
