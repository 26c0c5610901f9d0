import { Type, type Static } from 'typebox';
import { Bytes, closed, orNull } from '$core/shapes';
import { MIB, TIB } from '$core/units';
import { document, endpoint, media } from './endpoint';
import { SURVEY } from './examples';
import { ImageName } from './imageName';
import { Count, JobNumber, Moment } from './shapes';

/** Disk images in the server's folder, and sending them up. */

/** Bytes of a piece of an upload at most; a browser sends one after the other. */
export const MAX_PIECE = 8 * MIB;
const MAX_IMAGE = 16 * TIB;

const ImageShape = closed({
  name: Type.String(),
  /** Bytes of the file. */
  bytes: Bytes,
  /** Its format by its first bytes; null: no disk is recognised. */
  kind: orNull(Type.Enum(['raw', 'vhd', 'vhdx', 'qcow2', 'vmdk'])),
  changedAt: Moment,
  /** Files beside it that hold its bytes, where it only describes them. */
  pieces: Type.Array(Type.String()),
  /** Bytes of it and its pieces, and what they take on the server's disk. */
  whole: closed({ bytes: Bytes, room: Bytes }),
  /** The job whose route is being carried out on it. */
  job: orNull(JobNumber),
});
export type ServerImage = Static<typeof ImageShape>;

const UploadShape = closed({
  id: Type.String({ pattern: '^[0-9a-f]{32}$' }),
  name: ImageName,
  bytes: Bytes,
  /** Bytes that have arrived and are kept; the next piece begins there. */
  received: Bytes,
});
export type Upload = Static<typeof UploadShape>;
export const UploadFile = document('upload', UploadShape);

/** Identity of an upload: the same name, size and time are the same file, so that it is found again. */
const BeginUpload = document(
  'begin-upload',
  closed({
    name: ImageName,
    bytes: Type.Integer({ minimum: 512, maximum: MAX_IMAGE }),
    /** When the file was changed last, in milliseconds since 1970. */
    changedAt: Type.Integer({ minimum: 0, maximum: 8.64e15 }),
  }),
  { name: 'booking-desk.qcow2', bytes: 196_616, changedAt: Date.parse(SURVEY.takenAt) },
);
export type NewUpload = Static<(typeof BeginUpload)['shape']>;

export const IMAGES = {
  'GET /images': endpoint({
    need: 'reader',
    scope: 'images:read',
    summary: 'The disk images in the server’s folder, with the job whose route is being carried out on each',
    gives: 'The images, and where they lie',
    answer: closed({ folder: Type.String(), images: Type.Array(ImageShape), more: Count }),
  }),
  'GET /images/{name}': endpoint({
    need: 'reader',
    scope: 'images:read',
    summary: 'One image as a file, whole or a range of it',
    gives: 'The image',
    answer: media('application/octet-stream'),
    errors: ['no-image', 'image-at-work', 'image-moved', 'not-in-image'],
  }),
  'POST /uploads': endpoint({
    need: 'technician',
    scope: 'images:write',
    summary: 'Begin to send an image up, or find how much of the same file has arrived already',
    body: BeginUpload,
    gives: 'The upload',
    answer: UploadFile,
    status: 201,
    errors: ['bad-image-name', 'image-exists', 'no-room-for-image', 'too-many-uploads'],
  }),
  'GET /uploads/{id}': endpoint({
    need: 'reader',
    scope: 'images:read',
    textId: true,
    summary: 'How much of an image has arrived',
    gives: 'The upload',
    answer: UploadFile,
    errors: ['no-upload'],
  }),
  'PUT /uploads/{id}': endpoint({
    need: 'technician',
    scope: 'images:write',
    textId: true,
    summary: 'The next piece of an image, 8 MiB at most; with the last one it is in the folder',
    body: media('application/octet-stream'),
    mostBytes: MAX_PIECE,
    query: { offset: Type.Integer({ minimum: 0, description: 'the byte at which the piece begins' }) },
    gives: 'The upload',
    answer: UploadFile,
    errors: [
      'no-upload',
      'no-offset',
      'empty-piece',
      'piece-busy',
      'other-piece',
      'piece-too-long',
      'image-arrived',
      'disk-full',
    ],
  }),
  'DELETE /uploads/{id}': endpoint({
    need: 'technician',
    scope: 'images:write',
    textId: true,
    summary: 'Give an upload up; what has arrived is thrown away',
    gives: 'Gone',
    errors: ['no-upload'],
  }),
};
