import { AppError } from '@flagstone/core/errors';
import { as } from '@flagstone/contract/endpoint';
import { DataStore, Server, Upload } from '@tus/server';
import type { Readable } from 'node:stream';
import { Router, type Request } from 'express';
import type { AppContext } from '../app-context.ts';
import { beginSending, endSending, sentFile, type SentFile } from '../arrivals/sending.ts';
import type { Sight } from '../rights/rights.ts';
import { errorBodyOf, statusOf } from './error-answer.ts';
import { askerOf, asksAs, sightFor } from './who-asks.ts';

const NEEDS = as('librarian', 'anything');
/** What is asked of the tus protocol here; nothing is ever sent back. */
const METHODS = ['OPTIONS', 'HEAD', 'POST', 'PATCH'];
const ID = /^[\da-f]{8}(-[\da-f]{4}){3}-[\da-f]{12}$/;

/** A request as the package for the protocol hands it over. */
type TusRequest = Parameters<NonNullable<ConstructorParameters<typeof Server>[0]['onUploadCreate']>>[0];

/**
 * Files that are sent, by the tus protocol, version 1.0.0: the creation and the core of it. Each was announced with its arrival, under whose number it is sent; it goes on after the line broke, in
 * whichever process, since how far it is stands on the drive.
 */
export function uploadRoutes(app: AppContext): Router {
  const sights = new WeakMap<object, Sight>();
  const fileOf = (request: TusRequest | undefined, id: string): Promise<SentFile> => {
    const node = request?.runtime?.node?.req;
    return sentFile(app, id, (node && sights.get(node)) ?? []);
  };
  const tus = new Server({
    path: '/api/uploads',
    datastore: new SentStore(app),
    relativeLocation: true,
    allowedOrigins: () => false,
    namingFunction: async (request, metadata) => {
      const id = metadata?.['file'] ?? '';
      if (!ID.test(id)) throw new AppError('BAD_REQUEST', 'The metadata `file` has to name a file that was announced.');
      await beginSending(
        app,
        await fileOf(request, id),
        metadata?.['sha256'] ?? '',
        Number(request.headers.get('upload-length')),
      );
      return id;
    },
    maxSize: async (request, id) => (id === null ? 0 : (await fileOf(request, id)).bytes),
    onIncomingRequest: async (request, id) => void (await fileOf(request, id)),
    onUploadFinish: async (request, { id }) => {
      await endSending(app, await fileOf(request, id));
      return {};
    },
    onResponseError: (_request, error) => {
      if (!(error instanceof AppError)) return undefined;
      return { status_code: statusOf(error.code), body: JSON.stringify(errorBodyOf(error)) };
    },
  });
  const router = Router();
  router.use('/api/uploads', asksAs(app, NEEDS), async (request: Request, response) => {
    if (!METHODS.includes(request.method))
      throw new AppError('NOT_FOUND', `There is no address ${request.method} ${request.originalUrl}.`);
    sights.set(request, sightFor(NEEDS, askerOf(response)));
    // The package finds its address by the whole one.
    request.url = request.originalUrl;
    await tus.handle(request, response);
  });
  return router;
}

/** Where the package keeps what is sent: in the folder of the arrival. */
class SentStore extends DataStore {
  private readonly app: AppContext;

  constructor(app: AppContext) {
    super();
    this.app = app;
    this.extensions = ['creation', 'creation-with-upload'];
  }

  /** The file was begun when its number was given out. */
  override create(upload: Upload): Promise<Upload> {
    return Promise.resolve(upload);
  }

  override async getUpload(id: string): Promise<Upload> {
    const { staged, bytes } = await sentFile(this.app, id, 'all');
    const offset = await staged.bytesOf(id);
    if (offset === undefined) throw new AppError('NOT_FOUND', 'Nothing of this file was sent yet.');
    return new Upload({ id, size: bytes, offset });
  }

  override async write(stream: Readable, id: string, offset: number): Promise<number> {
    const { staged } = await sentFile(this.app, id, 'all');
    return staged.append(id, offset, stream);
  }
}
