import { describe, expect, it } from '@jest/globals';
import { childOf, editXml, parseXml, textOf } from './xml-document.ts';

describe('reading XML', () => {
  it('resolves the five entities, character references and CDATA', () => {
    const text = '<a> &lt;b&gt; &amp; &#65;&#x42; <![CDATA[<raw> & ]]>&unknown;</a>';
    expect(textOf(text, parseXml(text))).toBe('<b> & AB <raw> & &unknown;');
  });

  it.each([
    ['an element that is not closed', '<a><b></a>'],
    ['a tag that is broken', '<a><b <c/></a>'],
    ['two roots', '<a/><b/>'],
    ['no element', 'text'],
    ['a document type with entities', '<!DOCTYPE a [<!ENTITY x SYSTEM "file:///etc/passwd">]><a>&x;</a>'],
    ['nesting without bounds', '<a>'.repeat(100) + '</a>'.repeat(100)],
  ])('refuses %s', (_, text) => {
    expect(() => parseXml(text)).toThrow(/not well-formed at character/);
  });

  it('reads a megabyte of attributes in little time', () => {
    const text = `<a ${Array.from({ length: 40_000 }, (_, index) => `k${index}="v"`).join(' ')}/>`;
    expect(parseXml(text).selfClosing).toBe(true);
  });
});

describe('editing XML', () => {
  const changes = (texts: Record<string, string>, groups: Record<string, Record<string, string>> = {}) => ({
    texts: new Map(Object.entries(texts)),
    groups: new Map(Object.entries(groups).map(([name, values]) => [name, new Map(Object.entries(values))])),
  });

  it('replaces only the characters it must', () => {
    const before = '<?xml version="1.0"?>\n<!-- one --><R  x="1">\n\t<NOTE>old</NOTE><K/> tail</R>\n<!-- two -->';
    expect(editXml(before, changes({ NOTE: 'new & <more>' }))).toBe(before.replace('old', 'new &amp; &lt;more&gt;'));
  });

  it('adds to groups that are there, makes those that are not, fills self-closing ones, and removes emptied elements', () => {
    const after = editXml(
      '<R><A><x>1</x></A><B/><gone>2</gone></R>',
      changes({ gone: '' }, { A: { y: '3' }, B: { z: '4' }, C: { w: '5' }, D: { v: '' } }),
    );
    const root = parseXml(after);
    const at = (group: string, name: string): string | undefined => {
      const element = childOf(childOf(root, group), name);
      return element && textOf(after, element);
    };
    expect([at('A', 'x'), at('A', 'y'), at('B', 'z'), at('C', 'w')]).toEqual(['1', '3', '4', '5']);
    expect(childOf(root, 'gone')).toBeUndefined();
    expect(childOf(root, 'D')).toBeUndefined();
  });
});

describe('the text of an element made to hurt', () => {
  it('is found in one pass, however marks are nested', () => {
    const nested = `<a>${'<![CDATA['.repeat(100_000)}x]]></a>`;
    const root = parseXml(nested);
    const began = process.cpuUsage().user;
    expect(textOf(nested, root).endsWith('x')).toBe(true);
    // Seconds when it is gone through again for each; this is no matter of a fast machine.
    expect(process.cpuUsage().user - began).toBeLessThan(1_000_000);
  });

  it('keeps entities of CDATA, and resolves those outside of it', () => {
    const text = '<a>&lt;<!-- &amp; --><![CDATA[&amp;]]><?x &amp;?>&#65;</a>';
    expect(textOf(text, parseXml(text))).toBe('<&amp;A');
  });
});
