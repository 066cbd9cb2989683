import type { arrivalsEndpoints } from '@flagstone/contract/arrivals';
import * as arrivals from '../arrivals/arrivals.ts';
import type { Handlers } from './call.ts';

export const arrivalHandlers: Handlers<keyof typeof arrivalsEndpoints> = {
  findHeld: (app, { body, sight }) => arrivals.findHeld(app, body.digests, sight),
  listArrivals: (app, { sight }) => arrivals.listArrivals(app, sight),
  makeArrival: (app, { body, person, sight }) => arrivals.makeArrival(app, body, person, sight),
  announceFiles: (app, { params, body }) => arrivals.announceFiles(app, params.id, body.files),
  listLeftOut: (app, { params }) => arrivals.listLeftOut(app, params.id),
  finishArrival: (app, { params, person }) => arrivals.finishArrival(app, params.id, person),
  giveUpArrival: async (app, { params }) => {
    await arrivals.giveUpArrival(app, params.id);
    return {};
  },
};
