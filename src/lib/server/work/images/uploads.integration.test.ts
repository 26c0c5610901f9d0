import { unwrap } from '$core/problem';
import type { RequestEvent } from '@sveltejs/kit';
import type { Upload } from '$contract/images';
import {
  existsSync,
  linkSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  statfsSync,
  statSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { makeFreshFolder } from '$core/executor/test/mounted';
import { parseVmdkDescriptor } from '$core/images/vmdkDescriptor';
import { FileDevice } from '../../executor/fileDevice';
import { forgetConfig } from '../../platform/settings/config';
import { sendImage } from '../../web/handlers/imageDownload';
import { findImage, listImages } from './folder';
import { copyName, isImageName } from '../../platform/imageNames';
import { openPlain } from './openPlain';
import { plainFilesOf } from './plain';
import { isRead } from './reading';
import { beginUpload, dropUpload, findUpload, takePiece } from './uploads';

const all = makeFreshFolder('images');
let folder = '';
let tests = 0;
beforeEach(() => {
  folder = join(all, String(++tests));
  mkdirSync(folder);
  process.env['GENTLE_TIDE_IMAGES'] = folder;
  forgetConfig();
});
afterAll(() => {
  delete process.env['GENTLE_TIDE_IMAGES'];
  forgetConfig();
  rmSync(all, { recursive: true });
});

const MIB = 2 ** 20;
const bytes = (length: number, seed: number) => Uint8Array.from({ length }, (_, i) => (i * 7 + seed) % 251);
const begun = async (name: string, size: number, changedAt = 5): Promise<Upload> => {
  const outcome = await beginUpload({ name, bytes: size, changedAt });
  if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
  return outcome.value;
};
/** A request for an image, as its handler gets it. */
const requestFor = (headers: HeadersInit = {}, method = 'GET') =>
  ({
    request: new Request('http://x/', { method, headers }),
    setHeaders: () => undefined,
  }) as unknown as RequestEvent;

const codeOf = (outcome: { ok: boolean; problems?: { code: string }[] }) =>
  outcome.ok ? 'taken' : outcome.problems![0]!.code;

describe('the folder of images', () => {
  it('has plain files with one name only: pipes, links and second names are neither listed nor opened', async () => {
    const outside = join(all, 'outside.img');
    writeFileSync(outside, 'not for the workshop');
    writeFileSync(join(folder, 'own.img'), bytes(4096, 1));
    symlinkSync(outside, join(folder, 'link.img'));
    linkSync(outside, join(folder, 'second.img'));
    execFileSync('mkfifo', [join(folder, 'pipe.img')]);
    mkdirSync(join(folder, 'folder.img'));
    expect((await listImages()).images.map(({ name }) => name)).toEqual(['own.img']);
    // They may take the place of an image after it was looked at: nobody waits for a pipe's writer.
    for (const name of ['link.img', 'second.img', 'pipe.img', 'folder.img']) {
      expect(await findImage(name)).toBeNull();
      await expect(openPlain(join(folder, name)), name).rejects.toThrow();
      expect(await plainFilesOf(join(folder, name)), name).toBeNull();
    }
    await expect(FileDevice.open(join(folder, 'pipe.img'))).rejects.toThrow(/no plain file/);
    const own = (await findImage('own.img'))!;
    const sent = await sendImage({ ...own, name: 'pipe.img' }, requestFor());
    expect(codeOf(sent)).toBe('image-moved');
  });

  it('reads what a file is once, until it is changed', async () => {
    const described = (lines: string) => `# Disk DescriptorFile\nRW 2048 FLAT "bytes.vmdk" 0\n${lines}`;
    writeFileSync(join(folder, 'bytes.vmdk'), bytes(MIB, 1));
    writeFileSync(join(folder, 'a.vmdk'), described('createType="monolithicFlat"\n'));
    expect(await findImage('a.vmdk')).toMatchObject({ kind: 'vmdk', pieces: ['bytes.vmdk'] });
    // Lines without end are no description.
    writeFileSync(join(folder, 'a.vmdk'), described('\n'.repeat(250_000)));
    expect(await findImage('a.vmdk')).toMatchObject({ kind: 'vmdk', pieces: [] });
    expect(parseVmdkDescriptor(described('\n'.repeat(250_000)))).toBeNull();
    expect(parseVmdkDescriptor(described('CREATETYPE = "x"\ncreateType="y"\n'))).toMatchObject({
      createType: 'x',
    });
  });
});

describe('an image that is sent up', () => {
  it('arrives piece by piece, is gone on with after a break, and is there only once it is whole', async () => {
    const whole = bytes(700_000, 3);
    let upload = await begun('booking.qcow2', whole.length);
    for (const end of [300_000, 512_000]) {
      const taken = await takePiece(upload.id, upload.received, whole.subarray(upload.received, end));
      expect(taken).toMatchObject({ ok: true, value: { received: end } });
      // Whoever comes back with the same file finds what has arrived: the page may have been closed, the server
      // restarted.
      upload = await begun('booking.qcow2', whole.length);
      expect(upload.received).toBe(end);
      expect((await listImages()).images).toEqual([]);
    }
    expect(await takePiece(upload.id, 512_000, whole.subarray(512_000))).toMatchObject({ ok: true });
    expect(readFileSync(join(folder, 'booking.qcow2')).equals(whole)).toBe(true);
    expect(readdirSync(folder)).toEqual(['booking.qcow2']);
    expect(await findUpload(upload.id)).toBeNull();
  });

  it('takes the next piece only, and never more than was announced', async () => {
    const upload = await begun('a.img', 10_000);
    const piece = bytes(4000, 1);
    expect(codeOf(await takePiece(upload.id, 4000, piece))).toBe('other-piece');
    expect(codeOf(await takePiece(upload.id, 0, bytes(10_001, 1)))).toBe('piece-too-long');
    const twice = await Promise.all([takePiece(upload.id, 0, piece), takePiece(upload.id, 0, piece)]);
    expect(twice.map(codeOf).sort()).toEqual(['piece-busy', 'taken']);
    const now = (await findUpload(upload.id))!;
    expect(now.received).toBe(4000);
    expect(codeOf(await takePiece(now.id, 0, piece))).toBe('other-piece');
  });

  it('keeps what was acknowledged, whatever arrives late', async () => {
    const upload = await begun('a.img', 10_000);
    const whole = bytes(10_000, 4);
    await takePiece(upload.id, 0, whole.subarray(0, 4000));
    await takePiece(upload.id, 4000, whole.subarray(4000, 9000));
    // One that was sent before, of a connection that was given up, with what the sender knew then.
    expect(codeOf(await takePiece(upload.id, 4000, bytes(3000, 99)))).toBe('other-piece');
    expect((await findUpload(upload.id))!.received).toBe(9000);
    const last = () => takePiece(upload.id, 9000, whole.subarray(9000));
    const outcomes = await Promise.all([last(), last(), last()]);
    expect(outcomes.map(codeOf).filter((code) => code === 'taken').length).toBe(1);
    expect(codeOf(await last())).toBe('no-upload');
    expect(readFileSync(join(folder, 'a.img')).equals(whole)).toBe(true);
    expect(readdirSync(folder)).toEqual(['a.img']);
  });

  it('is begun by eight at most, also where forty begin at once, and room is promised once', async () => {
    const outcomes = await Promise.all(
      Array.from({ length: 40 }, (_, i) => beginUpload({ name: `${i}.img`, bytes: 512, changedAt: 1 })),
    );
    expect(outcomes.map(codeOf).filter((code) => code === 'taken').length).toBe(8);
    expect(readdirSync(folder).filter((name) => name.endsWith('.part')).length).toBe(8);
    for (const one of outcomes) if (one.ok) await dropUpload(one.value.id);
    const { bavail, bsize } = statfsSync(folder);
    const most = Math.floor((bavail * bsize) / 3);
    const large = await Promise.all(
      [1, 2, 3, 4].map((i) => beginUpload({ name: `large ${i}.img`, bytes: most, changedAt: 1 })),
    );
    expect(large.map(codeOf).filter((code) => code === 'taken').length).toBeLessThanOrEqual(2);
  });

  it('whose server was killed is found again: by its lock, and after its last piece', async () => {
    const upload = await begun('a.img', 512);
    const lock = join(folder, `.${upload.id}.lock`);
    writeFileSync(lock, '');
    expect(codeOf(await takePiece(upload.id, 0, bytes(512, 1)))).toBe('piece-busy');
    const minutes = Date.now() / 1000 - 120;
    utimesSync(lock, minutes, minutes);
    // Between the image's name and what is told of the upload.
    writeFileSync(join(folder, `.${upload.id}.part`), bytes(512, 1));
    linkSync(join(folder, `.${upload.id}.part`), join(folder, 'a.img'));
    writeFileSync(join(folder, `.${upload.id}.json`), JSON.stringify({ ...upload, received: 512 }));
    expect(codeOf(await beginUpload({ name: 'b.img', bytes: 512, changedAt: 1 }))).toBe('taken');
    expect(await findUpload(upload.id)).toBeNull();
    expect((await listImages()).images.map(({ name }) => name)).toEqual(['a.img']);
  });

  it('is nothing where what is told of it can’t be read', async () => {
    const upload = await begun('a.img', 512);
    for (const text of ['', '{', '[]', '{"id":"x"}', JSON.stringify({ ...upload, received: -1 })]) {
      writeFileSync(join(folder, `.${upload.id}.json`), text);
      expect(await findUpload(upload.id), text).toBeNull();
    }
  });

  it('never writes over an image, not even over one that comes meanwhile', async () => {
    writeFileSync(join(folder, 'there.img'), 'somebody’s disk');
    expect(codeOf(await beginUpload({ name: 'there.img', bytes: 4096, changedAt: 1 }))).toBe('image-exists');
    const upload = await begun('late.img', 512);
    writeFileSync(join(folder, 'late.img'), 'another');
    expect(codeOf(await takePiece(upload.id, 0, bytes(512, 9)))).toBe('image-arrived');
    expect(readFileSync(join(folder, 'late.img'), 'utf8')).toBe('another');
    await dropUpload(upload.id);
    expect(readdirSync(folder).sort()).toEqual(['late.img', 'there.img']);
  });

  it('is refused where there is no room, where too many are sent, and by names that lead elsewhere', async () => {
    expect(codeOf(await beginUpload({ name: 'huge.img', bytes: 2 ** 44, changedAt: 1 }))).toBe(
      'no-room-for-image',
    );
    for (let i = 0; i < 8; i++) await begun(`${i}.img`, 512);
    expect(codeOf(await beginUpload({ name: 'ninth.img', bytes: 512, changedAt: 1 }))).toBe(
      'too-many-uploads',
    );
    // One that nobody went on with for a week makes room for it.
    const old = await begun('0.img', 512);
    const long = Date.now() / 1000 - 8 * 86_400;
    utimesSync(join(folder, `.${old.id}.json`), long, long);
    expect(codeOf(await beginUpload({ name: 'ninth.img', bytes: 512, changedAt: 1 }))).toBe('taken');
    expect(await findUpload(old.id)).toBeNull();
    // So does one that was begun and then left, before any of which something has arrived.
    const [left, kept] = [await begun('1.img', 512), await begun('2.img', 512)];
    await takePiece(kept.id, 0, bytes(100, 1));
    for (const { id } of [left, kept]) {
      const minute = Date.now() / 1000 - 60;
      utimesSync(join(folder, `.${id}.json`), minute, minute);
    }
    expect(codeOf(await beginUpload({ name: 'tenth.img', bytes: 512, changedAt: 1 }))).toBe('taken');
    expect([await findUpload(left.id), (await findUpload(kept.id))?.received]).toEqual([null, 100]);
    expect(codeOf(await beginUpload({ name: 'eleventh.img', bytes: 512, changedAt: 1 }))).toBe(
      'too-many-uploads',
    );
    const names = [
      '../up.img',
      '/etc/passwd',
      '..',
      '.hidden',
      'a/b',
      'a\\b',
      'a\0b',
      'a\nb',
      'x.img.journal',
      'x.journal.before.json',
      'x.part',
      'n'.repeat(201),
      '\ud800.img',
      '',
    ];
    for (const name of names) {
      expect(isImageName(name), name).toBe(false);
      expect(codeOf(await beginUpload({ name, bytes: 512, changedAt: 1 })), name).toBe('bad-image-name');
      expect(await findImage(name), name).toBeNull();
    }
    for (const id of ['..', '../../x', '0'.repeat(31), 'Z'.repeat(32)])
      expect(await findUpload(id)).toBeNull();
    const wide = `${'ü'.repeat(95)}.vhdx`;
    expect([isImageName(wide), isImageName(copyName(wide, 2 ** 32))]).toEqual([true, true]);
    expect(copyName('desk.qcow2', 7)).toBe('desk.carried-out-7.qcow2');
    expect(['Büro 2.vhdx', 'a b.img', "o'hara.vmdk", '100 %.qcow2'].map(isImageName)).not.toContain(false);
  });

  it('takes no room for what holds nothing', async () => {
    let upload = await begun('sparse.img', 24 * MIB);
    for (let at = 0; at < 24 * MIB; at += 8 * MIB) {
      const piece = new Uint8Array(8 * MIB);
      if (at === 8 * MIB) piece.set(bytes(4096, 5), 100);
      const taken = await takePiece(upload.id, at, piece);
      if (taken.ok) upload = taken.value;
    }
    const { size, blocks } = statSync(join(folder, 'sparse.img'));
    expect([size, blocks * 512 < 12 * MIB]).toEqual([24 * MIB, true]);
    expect(readFileSync(join(folder, 'sparse.img')).subarray(8 * MIB + 100, 8 * MIB + 4196)).toEqual(
      Buffer.from(bytes(4096, 5)),
    );
  });
});

describe('the folder of images', () => {
  it('lists what is a disk by its bytes, and nothing that leads out of it', async () => {
    const raw = join(folder, 'plain.img');
    writeFileSync(raw, Buffer.concat([Buffer.alloc(510), Buffer.from([0x55, 0xaa]), Buffer.alloc(MIB)]));
    for (const [format, name, options] of [
      ['qcow2', 'q.bin', []],
      ['vhdx', 'x.bin', []],
      ['vpc', 'v.bin', []],
      ['vmdk', 'sparse.vmdk', []],
      ['vmdk', 'flat.vmdk', ['-o', 'subformat=monolithicFlat']],
    ] as const)
      execFileSync('qemu-img', ['convert', '-f', 'raw', '-O', format, ...options, raw, join(folder, name)]);
    writeFileSync(join(folder, 'notes.txt'), 'shopping list\n'.repeat(99));
    writeFileSync(join(folder, 'empty.img'), '');
    writeFileSync(join(folder, 'q.bin.journal'), 'a run');
    symlinkSync('/etc/passwd', join(folder, 'link.img'));
    mkdirSync(join(folder, 'sub.img'));
    execFileSync('mkfifo', [join(folder, 'pipe.img')]);
    const { images, more } = await listImages();
    expect([images.map(({ name, kind }) => [name, kind]), more]).toEqual([
      [
        ['empty.img', null],
        ['flat.vmdk', 'vmdk'],
        ['notes.txt', null],
        ['plain.img', 'raw'],
        ['q.bin', 'qcow2'],
        ['sparse.vmdk', 'vmdk'],
        ['v.bin', 'vhd'],
        ['x.bin', 'vhdx'],
      ],
      0,
    ]);
    for (const name of ['link.img', 'pipe.img', 'sub.img', 'q.bin.journal', 'gone.img'])
      expect(await findImage(name), name).toBeNull();
    expect(lstatSync(join(folder, 'link.img')).isSymbolicLink()).toBe(true);
  });

  it('sends an image whole or from where a download broke off', async () => {
    const whole = bytes(300_000, 8);
    writeFileSync(join(folder, 'Büro 2.img'), whole);
    const image = (await findImage('Büro 2.img'))!;
    const ask = async (headers: Record<string, string>) => {
      const response = unwrap(await sendImage(image, requestFor(headers)));
      return { response, body: new Uint8Array(await response.arrayBuffer()) };
    };
    const first = await ask({});
    expect([first.response.status, Buffer.from(first.body).equals(whole)]).toEqual([200, true]);
    expect(first.response.headers.get('content-disposition')).toBe(
      "attachment; filename*=UTF-8''B%C3%BCro%202.img",
    );
    const etag = first.response.headers.get('etag')!;
    const ranges: [range: string, first: number, end: number][] = [
      ['bytes=100000-', 100_000, 300_000],
      ['bytes=0-0', 0, 1],
      ['bytes=299999-900000', 299_999, 300_000],
      ['bytes=-10', 299_990, 300_000],
    ];
    for (const [range, from, end] of ranges) {
      const part = await ask({ range, 'if-range': etag });
      expect([part.response.status, part.response.headers.get('content-range')]).toEqual([
        206,
        `bytes ${from}-${end - 1}/300000`,
      ]);
      expect(Buffer.from(part.body).equals(whole.subarray(from, end)), range).toBe(true);
    }
    expect(codeOf(await sendImage(image, requestFor({ range: 'bytes=300000-' })))).toBe('not-in-image');
    // What is no range, more than one, or of another state of the file is answered with the whole.
    const odd: Record<string, string>[] = [
      { range: 'bytes=5-2' },
      { range: 'bytes=0-1,5-6' },
      { range: 'pages=1' },
      { range: 'bytes=1-', 'if-range': '"old"' },
    ];
    for (const headers of odd) expect((await ask(headers)).body.length).toBe(300_000);
    expect(isRead('Büro 2.img')).toBe(false);
    const head = unwrap(await sendImage(image, requestFor({}, 'HEAD')));
    expect([head.headers.get('content-length'), head.body, isRead('Büro 2.img')]).toEqual([
      '300000',
      null,
      false,
    ]);
    const left = unwrap(await sendImage(image, requestFor()));
    expect(isRead('Büro 2.img')).toBe(true);
    await left.body!.cancel();
    for (let i = 0; i < 100 && isRead('Büro 2.img'); i++) await new Promise((done) => setTimeout(done, 10));
    expect(isRead('Büro 2.img')).toBe(false);
    expect(existsSync(join(folder, 'Büro 2.img'))).toBe(true);
  });
});
