import { Type, type Static } from 'typebox';

/** Bytes of an image's name; longer ones leave no room for what is kept beside the image. */
export const MAX_IMAGE_NAME = 200;

/** Names of images as they come in: what can't be one is told before anything is looked for. */
export const ImageName = Type.String({
  minLength: 1,
  maxLength: MAX_IMAGE_NAME,
  pattern: '^[^./\\\\][^/\\\\]*$',
});
export type ImageName = Static<typeof ImageName>;
