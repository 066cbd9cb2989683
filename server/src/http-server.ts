import { existsSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { AppError } from '@flagstone/core/errors';
import express, { type Express } from 'express';
import helmet from 'helmet';
import type { AppContext } from './app-context.ts';
import { apiRoutes } from './routes/api-routes.ts';
import { errorAnswer } from './routes/error-answer.ts';
import { probes } from './routes/probes.ts';
import { rawRoutes } from './routes/raw-routes.ts';
import { uploadRoutes } from './routes/uploads.ts';
import { refuseForeignOrigins } from './routes/who-asks.ts';

const WEB_FOLDER = fileURLToPath(new URL('../../web/dist', import.meta.url));
/** The first parts of the addresses of web/src/router.ts. */
const PAGES = /^\/(?:(?:today|intake|catalogue|sound|review|drift|pull|deliveries|setup|account|join)(?:\/[\w,-]*)*)?$/;
const LOOPBACK_NAMES = ['127.0.0.1', 'localhost', '[::1]'];

/** From where it is reached, beside loopback. */
export interface Reach {
  /** Names of hosts that are answered. */
  names: ReadonlySet<string>;
  /** Addresses of proxies that are believed what they say of whom they speak for. */
  proxies: readonly string[];
}

const LOOPBACK_ONLY: Reach = { names: new Set(), proxies: [] };

/** The web application and its API. Answers only requests that name loopback or a name that it was told, so that no foreign page can reach it by a name of its own. */
export function httpServer(app: AppContext, reach: Reach = LOOPBACK_ONLY): Express {
  const server = express();
  server.disable('x-powered-by');
  server.set('trust proxy', [...reach.proxies]);
  server.use(
    helmet({
      // Element Plus sets styles on elements; everything else comes from this server alone. Plain HTTP on loopback.
      contentSecurityPolicy: {
        directives: {
          'style-src': ["'self'", "'unsafe-inline'"],
          'font-src': ["'self'", 'data:'],
          'media-src': ["'self'", 'blob:'],
          'upgrade-insecure-requests': null,
        },
      },
      strictTransportSecurity: false,
    }),
  );
  const stayWithTls = helmet.strictTransportSecurity({ includeSubDomains: false });
  server.use((request, response, next) => (request.secure ? stayWithTls(request, response, next) : next()));
  server.use(probes(app));
  server.use((request, _response, next) => {
    // Of a proxy that is believed, what it was asked for.
    const host = (request.host ?? '').replace(/:\d+$/, '');
    if (!LOOPBACK_NAMES.includes(host) && !reach.names.has(host))
      throw new AppError('HOST_REFUSED', `Requests to “${host}” are not answered.`);
    next();
  });
  server.use(refuseForeignOrigins);
  server.use(uploadRoutes(app));
  server.use('/api', rawRoutes(app));
  server.use('/api', apiRoutes(app));
  if (existsSync(WEB_FOLDER)) {
    server.use(
      '/assets',
      express.static(path.join(WEB_FOLDER, 'assets'), { immutable: true, maxAge: '1y', fallthrough: false }),
    );
    server.use(express.static(WEB_FOLDER, { index: false }));
    // The places of the application alone: what is no page of it is not found, whoever asks for it.
    server.get(PAGES, (_request, response) =>
      response.sendFile(path.join(WEB_FOLDER, 'index.html'), { cacheControl: false }),
    );
  }
  server.use((request) => {
    throw new AppError('NOT_FOUND', `There is no address ${request.method} ${request.path}.`);
  });
  server.use(errorAnswer(app.log));
  return server;
}
