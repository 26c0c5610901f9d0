import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { TYPE } from '../disk';
import { makeBytesSource } from '../images/source';
import { guidToBytes, guidToText, readGpt, writeGpt, type GptTable } from '.';

const guidText = fc.uuid().map((uuid) => uuid.toUpperCase());

/** Small disks, so that a whole one fits into memory. */
const table: fc.Arbitrary<GptTable> = fc
  .record({
    sectorSize: fc.constantFrom(512, 4096),
    diskId: guidText,
    slots: fc.uniqueArray(fc.integer({ min: 0, max: 127 }), { maxLength: 12 }),
    ids: fc.uniqueArray(guidText, { minLength: 12, maxLength: 12 }),
    lengths: fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 12, maxLength: 12 }),
    gaps: fc.array(fc.integer({ min: 0, max: 3 }), { minLength: 12, maxLength: 12 }),
    names: fc.array(fc.string({ maxLength: 18, unit: 'grapheme' }), { minLength: 12, maxLength: 12 }),
    attributes: fc.array(fc.bigInt({ min: 0n, max: 2n ** 64n - 1n }), { minLength: 12, maxLength: 12 }),
  })
  .map(({ sectorSize, diskId, slots, ids, lengths, gaps, names, attributes }) => {
    const overhead = 1 + 16384 / sectorSize;
    let at = overhead + 1;
    const entries = slots.map((slot, i) => {
      const first = at + gaps[i]!;
      at = first + lengths[i]!;
      const name = names[i]!.replaceAll('\0', '').slice(0, 36);
      return {
        slot,
        type: TYPE.basicData,
        id: ids[i]!,
        first,
        last: at - 1,
        attributes: attributes[i]!,
        name,
      };
    });
    const sectors = at + 5 + overhead;
    return {
      sectorSize,
      sectors,
      diskId,
      firstUsable: overhead + 1,
      lastUsable: sectors - 1 - overhead,
      backupHeader: sectors - 1,
      entryCount: 128,
      entrySize: 128,
      entries: entries.sort((a, b) => a.slot - b.slot),
    };
  });

const bytesOf = (from: GptTable): Uint8Array => {
  const bytes = new Uint8Array(from.sectors * from.sectorSize);
  for (const write of writeGpt(from)) bytes.set(write.bytes, write.offset);
  return bytes;
};
const readBytes = (bytes: Uint8Array) => readGpt(makeBytesSource(bytes));

describe('a GUID partition table', () => {
  it('is read as it was written, whatever is in it', async () => {
    await fc.assert(
      fc.asyncProperty(table, async (written) => {
        const reading = await readBytes(bytesOf(written));
        expect(reading).toEqual({ ok: true, value: { table: written, notes: [] } });
      }),
    );
  });

  it('is read from either copy alone, with a note that names the other', async () => {
    await fc.assert(
      fc.asyncProperty(
        table,
        fc.constantFrom('primary', 'backup'),
        fc.nat(91),
        async (written, broken, offset) => {
          const bytes = bytesOf(written);
          const at = (broken === 'primary' ? 1 : written.sectors - 1) * written.sectorSize + offset;
          bytes[at] = bytes[at]! ^ 0x5a;
          const reading = await readBytes(bytes);
          expect(reading.ok && reading.value.table.entries).toEqual(written.entries);
          expect(reading.ok && reading.value.notes.join()).toContain(
            `The ${broken} partition table is damaged`,
          );
        },
      ),
    );
  });

  it('is never trusted where anything in it was changed: an error or the very same entries', async () => {
    await fc.assert(
      fc.asyncProperty(
        table,
        fc.array(fc.record({ at: fc.nat(), value: fc.integer({ min: 1, max: 255 }) }), {
          minLength: 1,
          maxLength: 6,
        }),
        async (written, changes) => {
          const bytes = bytesOf(written);
          for (const { at, value } of changes) bytes[at % bytes.length]! ^= value;
          const reading = await readBytes(bytes);
          if (reading.ok) expect(reading.value.table.entries).toEqual(written.entries);
          else expect(reading.problems[0]!.message).toMatch(/[.]$/);
        },
      ),
      { numRuns: 300 },
    );
  });

  it('lets the primary count where both copies are good but differ', async () => {
    const [sample] = fc.sample(table, { numRuns: 1, seed: 7 });
    const other = { ...sample!, diskId: '00000000-0000-4000-8000-000000000001' };
    const bytes = bytesOf(sample!);
    const [, array, header] = writeGpt(other);
    for (const write of [array!, header!]) bytes.set(write.bytes, write.offset);
    const reading = await readBytes(bytes);
    expect(reading.ok && reading.value.table.diskId).toBe(sample!.diskId);
    expect(reading.ok && reading.value.notes).toEqual([
      'The two copies of the partition table differ; the primary was used.',
    ]);
  });

  it('knows a disk that was enlarged after its table was written', async () => {
    const [sample] = fc.sample(table, { numRuns: 1, seed: 3 });
    const bytes = new Uint8Array((sample!.sectors + 5000) * sample!.sectorSize);
    bytes.set(bytesOf(sample!));
    const reading = await readBytes(bytes);
    expect(reading.ok && reading.value.table.backupHeader).toBe(sample!.sectors - 1);
    expect(reading.ok && reading.value.notes.join()).toContain('5000 sectors longer');
  });

  it.each([
    ['zeros', new Uint8Array(100_000)],
    ['a few bytes', new Uint8Array(3)],
    ['nothing', new Uint8Array(0)],
    ['text', new TextEncoder().encode('tide '.repeat(20_000))],
  ])('is not found in %s', async (_, bytes) => {
    expect(await readBytes(bytes)).toMatchObject({ ok: false, problems: [{ code: 'no-gpt' }] });
  });

  it('stores GUIDs mixed-endian', () => {
    expect([...guidToBytes(TYPE.efi)].slice(0, 8)).toEqual([0x28, 0x73, 0x2a, 0xc1, 0x1f, 0xf8, 0xd2, 0x11]);
    fc.assert(
      fc.property(guidText, (text) => {
        expect(guidToText(guidToBytes(text))).toBe(text);
      }),
    );
  });
});
