import type { Router } from 'express';
import type { Workspace } from '../workspace.ts';
import { acceptanceRoutes } from './acceptances.ts';
import { carryRoutes } from './carry.ts';
import { cutFileRoutes } from './cut-files.ts';
import { cutRoutes } from './cuts.ts';
import { dressingRoutes } from './dressing.ts';
import { deliverableFrameRoutes } from './deliverable-frames.ts';
import { deliverableHistoryRoutes } from './deliverable-history.ts';
import { deliverableRoutes } from './deliverables.ts';
import { dispatchRoutes } from './dispatches.ts';
import { exportRoutes } from './exports.ts';
import { foreignCheckRoutes } from './foreign-checks.ts';
import { followRoutes } from './follow.ts';
import { guideRoutes } from './guides.ts';
import { hereRoutes } from './here.ts';
import { inboxRoutes } from './inbox.ts';
import { jobRoutes } from './jobs.ts';
import { ledgerRoutes } from './ledger.ts';
import { lookRoutes } from './looks.ts';
import { masterRoutes } from './masters.ts';
import { mediaRoutes } from './media.ts';
import { machineRoutes } from './machines.ts';
import { machineWorkRoutes } from './machine-work.ts';
import { roomRoutes } from './room.ts';
import { namingRoutes } from './naming.ts';
import { keyRoutes } from './people/keys.ts';
import { secondFactorRoutes } from './people/second-factor.ts';
import { peopleRoutes } from './people/people.ts';
import { signInRoutes } from './people/sign-in.ts';
import { packageRoutes } from './packages.ts';
import { placeSetRoutes } from './place-sets.ts';
import { planFileRoutes } from './plan-files.ts';
import { preferenceRoutes } from './preferences.ts';
import { productionRoutes } from './productions.ts';
import { reportSummaryRoutes } from './report-summary.ts';
import { reviewLinkRoutes } from './review-links.ts';
import { shotListRoutes } from './shot-lists.ts';
import { specBookRoutes } from './spec-book.ts';
import { stripRoutes } from './strips.ts';
import { textlessRoutes } from './textless.ts';
import { typefaceRoutes } from './typefaces.ts';
import { stillRoutes } from './stills.ts';
import { togetherRoutes } from './together.ts';
import { versionRoutes } from './versions.ts';

/** Every route of the API but uploads and events, in the order of the work. */
const factories: readonly ((ws: Workspace) => Router)[] = [
  specBookRoutes,
  placeSetRoutes,
  signInRoutes,
  peopleRoutes,
  keyRoutes,
  secondFactorRoutes,
  preferenceRoutes,
  hereRoutes,
  productionRoutes,
  inboxRoutes,
  mediaRoutes,
  stillRoutes,
  masterRoutes,
  shotListRoutes,
  lookRoutes,
  guideRoutes,
  cutRoutes,
  cutFileRoutes,
  dressingRoutes,
  versionRoutes,
  togetherRoutes,
  followRoutes,
  carryRoutes,
  planFileRoutes,
  acceptanceRoutes,
  exportRoutes,
  jobRoutes,
  deliverableRoutes,
  foreignCheckRoutes,
  stripRoutes,
  textlessRoutes,
  typefaceRoutes,
  namingRoutes,
  ledgerRoutes,
  deliverableFrameRoutes,
  deliverableHistoryRoutes,
  reportSummaryRoutes,
  reviewLinkRoutes,
  packageRoutes,
  dispatchRoutes,
  machineRoutes,
  machineWorkRoutes,
  roomRoutes,
];

/** They all, for a workspace. */
export const apiRoutes = (ws: Workspace): Router[] => factories.map((routes) => routes(ws));
