import type { IMAGES, Upload } from '$contract/images';
import { refuse } from '$contract/problems';
import { success, type Outcome } from '$core/problem';
import { getImagesFolder } from '../../platform/imageNames';
import { database } from '../../store/database/database';
import { findImage } from '../../work/images/folder';
import { beginUpload, dropUpload, findUpload, takePiece } from '../../work/images/uploads';
import { findImagesInUse, jobOn } from '../../work/images/use';
import type { HandlersOf } from '../runner/endpoint';
import { sendImage } from './imageDownload';

async function uploadAt(id: string): Promise<Outcome<Upload>> {
  const upload = await findUpload(id);
  return upload ? success(upload) : refuse('no-upload');
}

export const IMAGE_HANDLERS = {
  'GET /images': async () => success({ folder: getImagesFolder(), ...(await findImagesInUse()) }),
  /** Not while a route is being carried out on it: what is read would be half of the one and half of the other. */
  'GET /images/{name}': async ({ params, typed, event }) => {
    const image = await findImage(params.name);
    if (!image) return refuse('no-image', { name: typed.name });
    const job = await jobOn(database(), image.name);
    return job === null
      ? sendImage(image, event)
      : refuse('image-at-work', { job, image: image.name, then: 'Download it' });
  },
  'POST /uploads': ({ body }) => beginUpload(body),
  'GET /uploads/{id}': ({ params }) => uploadAt(params.id),
  'PUT /uploads/{id}': async ({ params, query, body }) => {
    const upload = await uploadAt(params.id);
    if (!upload.ok) return upload;
    if (query.offset === undefined) return refuse('no-offset');
    return body.length === 0 ? refuse('empty-piece') : takePiece(upload.value.id, query.offset, body);
  },
  'DELETE /uploads/{id}': async ({ params }) => {
    const upload = await uploadAt(params.id);
    if (!upload.ok) return upload;
    await dropUpload(upload.value.id);
    return success(null);
  },
} satisfies HandlersOf<typeof IMAGES>;
