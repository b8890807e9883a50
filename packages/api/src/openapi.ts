import { OpenApiGeneratorV31, OpenAPIRegistry } from '@asteasolutions/zod-to-openapi';
import * as z from 'zod';
import { checkReportSchema } from '@mivvy/core';
import * as l from './ledger-schemas.ts';
import { problemSchema } from './problem-schema.ts';
import * as m from './machine-schemas.ts';
import * as r from './room-schemas.ts';
import * as p from './people-schemas.ts';
import * as s from './schemas.ts';

type Method = 'get' | 'post' | 'put' | 'patch' | 'delete';

/** One operation of the HTTP API. The server's routes and this table are compared by a test. */
interface Operation {
  method: Method;
  path: string;
  summary: string;
  body?: z.ZodType;
  answer?: z.ZodType;
  /** Content type of an answer that is not JSON. */
  media?: string;
}

/** Every operation of the API, in the order of the work. */
export const operations: readonly Operation[] = [
  {
    method: 'get',
    path: '/api/health',
    summary: 'Whether the server can work, and what it lacks',
    answer: s.healthSchema,
  },
  {
    method: 'get',
    path: '/api/events',
    summary: 'Server-sent events: what changed, and how far jobs have come',
    media: 'text/event-stream',
  },
  {
    method: 'get',
    path: '/api/productions',
    summary: 'All productions, newest first',
    answer: z.array(s.productionCardSchema),
  },
  {
    method: 'post',
    path: '/api/productions',
    summary: 'Start a production',
    body: s.newProductionSchema,
    answer: s.productionSchema,
  },
  {
    method: 'get',
    path: '/api/productions/{id}',
    summary: 'A production with its masters and versions',
    answer: s.productionDetailSchema,
  },
  {
    method: 'patch',
    path: '/api/productions/{id}',
    summary: 'Rename a production or its client',
    body: s.productionChangeSchema,
    answer: s.productionSchema,
  },
  {
    method: 'delete',
    path: '/api/productions/{id}',
    summary: 'Remove a production with everything made for it',
  },
  {
    method: 'get',
    path: '/api/inbox',
    summary: 'Films lying in the inbox folders',
    answer: z.array(s.inboxFileSchema),
  },
  {
    method: 'post',
    path: '/api/productions/{id}/masters',
    summary: 'Bring in a film from the inbox, without copying it',
    body: s.registerMasterSchema,
    answer: s.masterSchema,
  },
  {
    method: 'post',
    path: '/api/masters/{id}/read',
    summary: 'Read a master through again, after that had been stopped or had failed',
    answer: s.masterSchema,
  },
  {
    method: 'post',
    path: '/api/masters/{id}/renew',
    summary:
      'Take the file that lies where the master’s film lay in its place; framing and keeps are carried over',
    answer: s.masterSchema,
  },
  {
    method: 'delete',
    path: '/api/masters/{id}',
    summary: 'Remove a master with its versions and files; a film in the inbox stays where it is',
  },
  {
    method: 'get',
    path: '/api/masters/{id}/media',
    summary: 'The film as a browser plays it: the original or its proxy; ranges are served',
    media: 'video/mp4',
  },
  { method: 'get', path: '/api/masters/{id}/poster', summary: 'One still of the film', media: 'image/jpeg' },
  {
    method: 'get',
    path: '/api/masters/{id}/stills/{frame}',
    summary: 'One frame of the film, small; larger with `?size=large`',
    media: 'image/jpeg',
  },
  {
    method: 'get',
    path: '/api/masters/{id}',
    summary: 'A master with its shots, keeps and cuts',
    answer: s.masterSchema,
  },
  {
    method: 'patch',
    path: '/api/masters/{id}/work',
    summary: 'Change a master’s shots or keeps; refused with 409 when they were changed elsewhere meanwhile',
    body: s.masterWorkSchema,
    answer: s.masterSchema,
  },
  {
    method: 'put',
    path: '/api/masters/{id}/dressing',
    summary:
      'Change what is laid over a film: layers and captions; refused with 409 when it was changed elsewhere meanwhile',
    body: s.dressingChangeSchema,
    answer: s.masterSchema,
  },
  {
    method: 'post',
    path: '/api/masters/{id}/dressing/undo',
    summary: 'Take the last change of layers and captions back',
    answer: s.masterSchema,
  },
  {
    method: 'post',
    path: '/api/masters/{id}/dressing/redo',
    summary: 'Do the last change of layers and captions that was taken back again',
    answer: s.masterSchema,
  },
  {
    method: 'post',
    path: '/api/masters/{id}/script',
    summary: 'Lay words along the speech of a film; nothing is kept of it',
    body: s.scriptSchema,
    answer: s.captionsReadSchema,
  },
  {
    method: 'post',
    path: '/api/captions/read',
    summary:
      'Read a caption file, which is the body: SubRip or WebVTT in any usual encoding; nothing is kept of it',
    answer: s.captionsReadSchema,
  },
  {
    method: 'post',
    path: '/api/graphics',
    summary:
      'Take a picture or a film in for layers, which is the body: PNG, WebP, JPEG or SVG, or a film with alpha or on black',
    answer: s.graphicViewSchema,
  },
  {
    method: 'get',
    path: '/api/graphics/{sha256}',
    summary: 'A picture that layers show, or what browsers play of a film that they do',
    media: 'image/png',
  },
  {
    method: 'get',
    path: '/api/typefaces',
    summary: 'The workspace’s own typefaces, which titles can be set in beside those that ship',
    answer: z.array(s.typefaceSchema),
  },
  {
    method: 'post',
    path: '/api/typefaces',
    summary: 'Take a typeface in, which is the body: TrueType, OpenType, WOFF or WOFF2',
    answer: s.typefaceSchema,
  },
  {
    method: 'get',
    path: '/api/typefaces/{sha256}',
    summary: 'The file of a typeface that was taken in',
    media: 'application/octet-stream',
  },
  {
    method: 'delete',
    path: '/api/typefaces/{sha256}',
    summary: 'Offer a typeface no more; titles that are set in it stay as they are',
  },
  {
    method: 'get',
    path: '/api/letters/{name}',
    summary: 'A file of the letters that ship',
    media: 'font/woff2',
  },
  {
    method: 'get',
    path: '/api/deliverables/{id}/captions',
    summary: 'The captions that go beside a file',
    media: 'text/vtt',
  },
  {
    method: 'post',
    path: '/api/masters/{id}/cut-list',
    summary: 'Read cut points from a CMX 3600 EDL or an OpenTimelineIO file',
    body: s.readFileSchema,
    answer: s.masterReadSchema,
  },
  {
    method: 'put',
    path: '/api/masters/{id}/textless',
    summary: 'Make another film of the production its textless master: they are matched picture by picture',
    body: s.textlessChoiceSchema,
    answer: s.masterSchema,
  },
  {
    method: 'delete',
    path: '/api/masters/{id}/textless',
    summary: 'Let its textless master be a master of its own again',
  },
  {
    method: 'post',
    path: '/api/masters/{id}/setups',
    summary: 'Group the shots by camera position anew',
    answer: s.masterSchema,
  },
  {
    method: 'post',
    path: '/api/masters/{id}/undo',
    summary: 'Take the last change of shots or keeps back',
    answer: s.masterSchema,
  },
  {
    method: 'post',
    path: '/api/masters/{id}/redo',
    summary: 'Do the change taken back again',
    answer: s.masterSchema,
  },
  {
    method: 'post',
    path: '/api/masters/{id}/carry',
    summary:
      'Copy the framing of all its versions to another master, shot by shot; versions that are missing there are made',
    body: s.carryMasterSchema,
    answer: s.carryAnswerSchema,
  },
  {
    method: 'post',
    path: '/api/masters/{id}/cuts',
    summary: 'Make a cut of a master; without spans it keeps the whole film',
    body: s.newCutSchema,
    answer: s.masterSchema,
  },
  {
    method: 'post',
    path: '/api/masters/{id}/cuts/read',
    summary: 'Make a cut from a CMX 3600 EDL or an OpenTimelineIO file',
    body: s.readFileSchema,
    answer: s.cutReadSchema,
  },
  {
    method: 'get',
    path: '/api/masters/{id}/along',
    summary: 'Loudness, speech and silence along a master, and how much goes on in its shots',
    answer: s.filmActivitySchema,
  },
  {
    method: 'patch',
    path: '/api/cuts/{id}',
    summary: 'Change a cut; refused with 409 when it was changed elsewhere meanwhile',
    body: s.cutChangeSchema,
    answer: s.masterSchema,
  },
  {
    method: 'delete',
    path: '/api/cuts/{id}',
    summary: 'Remove a cut; versions that played it play the full film',
    answer: s.masterSchema,
  },
  {
    method: 'post',
    path: '/api/cuts/{id}/undo',
    summary: 'Take the last change of a cut back',
    answer: s.masterSchema,
  },
  {
    method: 'post',
    path: '/api/cuts/{id}/redo',
    summary: 'Do the change taken back again',
    answer: s.masterSchema,
  },
  {
    method: 'get',
    path: '/api/versions/{id}/cut-list/{file}',
    summary: 'The cut that a version plays, as cut.edl or cut.otio',
    media: 'text/plain',
  },
  {
    method: 'patch',
    path: '/api/versions/{id}/cut',
    summary: 'Choose the cut that a version plays',
    body: s.playsCutSchema,
    answer: s.versionSchema,
  },
  {
    method: 'patch',
    path: '/api/versions/{id}/cover',
    summary: 'Choose the frame that a version’s cover shows',
    body: s.coverChoiceSchema,
    answer: s.versionSchema,
  },
  {
    method: 'patch',
    path: '/api/versions/{id}/sharpen',
    summary: 'Choose how far a version’s picture is sharpened',
    body: s.sharpenChoiceSchema,
    answer: s.versionSchema,
  },
  {
    method: 'patch',
    path: '/api/versions/{id}/textless',
    summary: 'Draw a version from its master’s textless master, or from the film itself again',
    body: s.drawnTextlessSchema,
    answer: s.versionSchema,
  },
  {
    method: 'post',
    path: '/api/versions/{id}/strip',
    summary:
      'Encode five seconds of a version in one or two ways, to be looked at beside its picture as it is drawn',
    body: s.stripAskedSchema,
    answer: s.stripSchema,
  },
  {
    method: 'get',
    path: '/api/strips/{id}/{film}',
    summary: 'A film of a test strip: drawn.mp4, first or second',
    media: 'video/mp4',
  },
  {
    method: 'post',
    path: '/api/efforts',
    summary: 'Measure on this machine what a quick and a thorough encode cost and gain',
    body: s.effortsAskedSchema,
    answer: s.preferencesSchema,
  },
  {
    method: 'get',
    path: '/api/deliverables/{id}/cover',
    summary: 'The still that goes beside a file',
    media: 'image/jpeg',
  },
  {
    method: 'get',
    path: '/api/deliverables/{id}/frames/{frame}/{which}',
    summary:
      'One picture of a file: `file`, as it is decoded, or `planned`, as its plan draws it from the master',
    media: 'image/png',
  },
  {
    method: 'get',
    path: '/api/masters/{id}/look',
    summary: 'What was seen in a master, as far as it has been looked at',
    answer: s.lookViewSchema,
  },
  {
    method: 'post',
    path: '/api/masters/{id}/look',
    summary: 'Look at a master; the same bytes are never looked at twice',
    answer: s.lookViewSchema,
  },
  {
    method: 'post',
    path: '/api/masters/{id}/subjects',
    summary: 'Follow a subject that a person drew, forwards and backwards through its shot',
    body: s.drawSubjectSchema,
    answer: s.drawnSchema,
  },
  {
    method: 'delete',
    path: '/api/masters/{id}/subjects/{subject}',
    summary: 'Forget a subject that a person drew',
  },
  {
    method: 'post',
    path: '/api/productions/{id}/follow',
    summary: 'Choose the windows of some versions by what is seen in their masters',
    body: s.followRequestSchema,
    answer: s.followAnswerSchema,
  },
  {
    method: 'get',
    path: '/api/masters/{id}/guides/{file}',
    summary:
      'Windows as a guide at the master’s size: guides.svg, guides.png or guides.tsv; ?frame= and ?versions= choose',
    media: 'image/svg+xml',
  },
  {
    method: 'post',
    path: '/api/jobs/{id}/move',
    summary: 'Move a waiting job before another, or to the end of the queue',
    body: s.jobMoveSchema,
    answer: z.array(s.jobSchema),
  },
  {
    method: 'get',
    path: '/api/productions/{id}/forecast',
    summary: 'How large each version’s file will be and how long its making takes, by what was made before',
    answer: s.forecastsSchema,
  },
  {
    method: 'post',
    path: '/api/checks',
    summary:
      'Check a file that was made elsewhere for ?placement= or against ?version=; its bytes are the body, ?name= its name',
    answer: s.foreignCheckSchema,
  },
  {
    method: 'get',
    path: '/api/spec-book',
    summary: 'All outlets and placements',
    answer: s.specBookViewSchema,
  },
  {
    method: 'post',
    path: '/api/spec-book/files',
    summary: 'Take a spec book file in: new placements are added, changed ones get a revision',
    body: s.newSpecBookSchema,
    answer: s.specBookViewSchema,
  },
  {
    method: 'post',
    path: '/api/spec-book/files/preview',
    summary: 'What taking a spec book file in would change, placement by placement',
    body: s.newSpecBookSchema,
    answer: z.array(s.bookChangeSchema),
  },
  {
    method: 'get',
    path: '/api/spec-book/file',
    summary: 'The book as a spec book file, as it holds today',
    media: 'application/json',
  },
  {
    method: 'post',
    path: '/api/spec-book/placements',
    summary: 'Add a placement, and its outlet where the book has none such',
    body: s.newPlacementSchema,
    answer: s.placementPageSchema,
  },
  {
    method: 'get',
    path: '/api/spec-book/placements/{id}',
    summary: 'A placement with its revisions and the versions that are made for it',
    answer: s.placementPageSchema,
  },
  {
    method: 'put',
    path: '/api/spec-book/placements/{id}',
    summary: 'Change a placement: a new revision, from a day on',
    body: s.placementChangeSchema,
    answer: s.placementPageSchema,
  },
  {
    method: 'post',
    path: '/api/spec-book/placements/{id}/checked',
    summary: 'Its numbers were compared with their source today, and are right',
    body: s.placementCheckedSchema,
    answer: s.placementPageSchema,
  },
  {
    method: 'post',
    path: '/api/spec-book/placements/{id}/retired',
    summary: 'Offer a placement no more, or again',
    body: s.placementRetiredSchema,
    answer: s.placementPageSchema,
  },
  {
    method: 'put',
    path: '/api/spec-book/placements/{id}/evidence',
    summary:
      'Keep a picture with a placement, such as a photograph of a screen; its bytes are the body, ?name= its name',
    answer: s.placementPageSchema,
  },
  {
    method: 'get',
    path: '/api/spec-book/placements/{id}/evidence',
    summary: 'The picture that is kept with a placement',
    media: 'image/jpeg',
  },
  {
    method: 'patch',
    path: '/api/spec-book/outlets/{id}',
    summary: 'Give an outlet another name',
    body: s.outletChangeSchema,
    answer: s.specBookViewSchema,
  },
  {
    method: 'post',
    path: '/api/spec-book/bring-over',
    summary: 'Make versions for their placements as these hold today',
    body: s.bringOverSchema,
    answer: s.bringOverAnswerSchema,
  },
  {
    method: 'post',
    path: '/api/productions/{id}/versions',
    summary: 'Make versions of a master for some placements',
    body: s.newVersionsSchema,
    answer: z.array(s.versionSchema),
  },
  {
    method: 'get',
    path: '/api/place-sets',
    summary: 'Sets of placements that are taken together, the one taken last first',
    answer: z.array(s.placeSetSchema),
  },
  {
    method: 'post',
    path: '/api/place-sets',
    summary: 'Save a set of placements under a name',
    body: s.newPlaceSetSchema,
    answer: z.array(s.placeSetSchema),
  },
  {
    method: 'patch',
    path: '/api/place-sets/{id}',
    summary: 'Rename a set of placements, or change what is in it',
    body: s.placeSetChangeSchema,
    answer: z.array(s.placeSetSchema),
  },
  { method: 'delete', path: '/api/place-sets/{id}', summary: 'Forget a set of placements' },
  {
    method: 'get',
    path: '/api/metrics',
    summary: 'What is to be watched, in the text format of Prometheus',
    media: 'text/plain',
  },
  {
    method: 'get',
    path: '/api/me',
    summary: 'Who asks, and whether people sign in here',
    answer: p.meSchema,
  },
  {
    method: 'post',
    path: '/api/sign-in',
    summary: 'Sign this browser in',
    body: p.signInSchema,
    answer: p.meSchema,
  },
  {
    method: 'post',
    path: '/api/join',
    summary: 'Open a one-time link with the password that is chosen by it',
    body: p.joinSchema,
    answer: p.meSchema,
  },
  {
    method: 'post',
    path: '/api/sign-out',
    summary: 'Sign this browser out',
  },
  {
    method: 'post',
    path: '/api/password',
    summary: 'Change one’s own password; one’s other browsers are signed out',
    body: p.passwordChangeSchema,
  },
  {
    method: 'get',
    path: '/api/second-factor',
    summary: 'One’s own second factor: whether a code is asked for beside the password',
    answer: p.secondFactorSchema,
  },
  {
    method: 'post',
    path: '/api/second-factor',
    summary: 'Begin to set up a second factor; nothing is asked for until a code of it was told',
    body: p.ownPasswordSchema,
    answer: p.proposedCodesSchema,
  },
  {
    method: 'post',
    path: '/api/second-factor/on',
    summary: 'Turn the second factor on by a code of it; spare codes are told once',
    body: p.ownCodeSchema,
    answer: p.spareCodesSchema,
  },
  {
    method: 'post',
    path: '/api/second-factor/off',
    summary: 'Turn the second factor off',
    body: p.ownPasswordSchema,
  },
  {
    method: 'post',
    path: '/api/here',
    summary: 'Say which version this window has open, and hear who else has',
    body: p.hereSchema,
    answer: p.othersHereSchema,
  },
  {
    method: 'get',
    path: '/api/people',
    summary: 'Everybody who may come in',
    answer: z.array(p.personSchema),
  },
  {
    method: 'post',
    path: '/api/people',
    summary: 'Add somebody, who comes in by a link that is told once',
    body: p.newPersonSchema,
    answer: p.personLinkSchema,
  },
  {
    method: 'patch',
    path: '/api/people/{id}',
    summary: 'Change somebody’s name or role',
    body: p.personChangeSchema,
    answer: p.personSchema,
  },
  {
    method: 'delete',
    path: '/api/people/{id}',
    summary: 'Let somebody go, with their sessions and tokens',
  },
  {
    method: 'post',
    path: '/api/people/{id}/link',
    summary: 'A new one-time link for somebody',
    answer: p.personLinkSchema,
  },
  {
    method: 'get',
    path: '/api/sessions',
    summary: 'Browsers that are signed in: one’s own, or all for who runs everything',
    answer: z.array(p.sessionSchema),
  },
  {
    method: 'delete',
    path: '/api/sessions/{id}',
    summary: 'Sign a browser out',
  },
  {
    method: 'get',
    path: '/api/tokens',
    summary: 'Tokens for scripts: one’s own, or all for who runs everything',
    answer: z.array(p.tokenSchema),
  },
  {
    method: 'post',
    path: '/api/tokens',
    summary: 'Make a token, whose secret is told once',
    body: p.newTokenSchema,
    answer: p.madeTokenSchema,
  },
  {
    method: 'delete',
    path: '/api/tokens/{id}',
    summary: 'Revoke a token',
  },
  {
    method: 'get',
    path: '/api/room',
    summary: 'What lies on the disk, and what may go by a rule: `idleDays`, `keepFiles`',
    answer: r.roomSchema,
  },
  {
    method: 'post',
    path: '/api/room/clear',
    summary: 'Let proof copies, or older files, of resting productions go',
    body: r.clearRoomSchema,
    answer: r.clearedRoomSchema,
  },
  {
    method: 'get',
    path: '/api/machines',
    summary: 'What makes exports, what each does, and why nothing is taken where nothing is',
    answer: m.machinesSchema,
  },
  {
    method: 'patch',
    path: '/api/machines/{id}',
    summary: 'Let a machine take nothing more, or take work again; limit how much it does at once',
    body: m.machineChangeSchema,
    answer: m.machineSchema,
  },
  {
    method: 'delete',
    path: '/api/machines/{id}',
    summary: 'Remove a machine; what it does goes back into the queue',
  },
  {
    method: 'post',
    path: '/api/machines/join',
    summary: 'For render machines: join, or join again',
    body: m.machineJoinSchema,
    answer: m.machineJoinedSchema,
  },
  {
    method: 'post',
    path: '/api/machines/{id}/beat',
    summary: 'For render machines: a sign of life, how far each job is, and what is to be known',
    body: m.machineBeatSchema,
    answer: m.machineOrdersSchema,
  },
  {
    method: 'post',
    path: '/api/machines/{id}/take',
    summary: 'For render machines: the job of a ticket that was drawn',
    body: m.machineTakeSchema,
    answer: m.machineTakenSchema,
  },
  {
    method: 'get',
    path: '/api/machines/{id}/jobs/{job}/film',
    summary: 'For render machines: the film of a job that is held, in ranges',
  },
  {
    method: 'get',
    path: '/api/machines/{id}/jobs/{job}/graphics/{kind}/{sha256}',
    summary: 'For render machines: what the layers of a job that is held show',
  },
  {
    method: 'get',
    path: '/api/machines/{id}/jobs/{job}/textless',
    summary: 'For render machines: the textless film that is to be matched, in ranges',
  },
  {
    method: 'get',
    path: '/api/machines/{id}/jobs/{job}/file',
    summary: 'For render machines: the file that is to be checked, in ranges',
  },
  {
    method: 'post',
    path: '/api/machines/{id}/jobs/{job}/parts',
    summary: 'For render machines: one thing that came of preparing a film, as soon as it is there',
    body: m.machinePartSchema,
    answer: m.machineEndedSchema,
  },
  {
    method: 'post',
    path: '/api/machines/{id}/jobs/{job}/end',
    summary:
      'For render machines: how a job ended; its files came by resumable uploads to /api/machines/results',
    body: m.machineEndSchema,
    answer: m.machineEndedSchema,
  },
  {
    method: 'get',
    path: '/api/preferences',
    summary: 'What is preferred in this workspace',
    answer: s.preferencesSchema,
  },
  {
    method: 'patch',
    path: '/api/preferences',
    summary: 'Change what is preferred',
    body: s.preferencesChangeSchema,
    answer: s.preferencesSchema,
  },
  {
    method: 'post',
    path: '/api/productions/{id}/framings',
    summary: 'Save the framings of several versions at once, all or none; each can be taken back by itself',
    body: s.framingsChangeSchema,
    answer: z.array(s.versionSchema),
  },
  {
    method: 'post',
    path: '/api/productions/{id}/framings/undo',
    summary: 'Take the last change of several versions’ framings back',
    body: s.takeBackSchema,
    answer: z.array(s.versionSchema),
  },
  {
    method: 'post',
    path: '/api/productions/{id}/acceptances',
    summary: 'Accept troubles of several versions for one reason',
    body: s.acceptManySchema,
    answer: z.array(s.versionSchema),
  },
  {
    method: 'get',
    path: '/api/versions/{id}',
    summary: 'A version as it is now, with its newest file',
    answer: s.versionSchema,
  },
  {
    method: 'patch',
    path: '/api/versions/{id}',
    summary: 'Change a version’s framing; refused with 409 when it was changed elsewhere meanwhile',
    body: s.framingChangeSchema,
    answer: s.versionSchema,
  },
  {
    method: 'post',
    path: '/api/versions/{id}/undo',
    summary: 'Take the last change of the framing back',
    answer: s.versionSchema,
  },
  {
    method: 'post',
    path: '/api/versions/{id}/redo',
    summary: 'Do the change taken back again',
    answer: s.versionSchema,
  },
  {
    method: 'post',
    path: '/api/versions/{id}/acceptances',
    summary: 'Accept a trouble, with a reason',
    body: s.acceptRequestSchema,
    answer: s.versionSchema,
  },
  {
    method: 'post',
    path: '/api/versions/{id}/acceptances/withdraw',
    summary: 'Take an acceptance back',
    body: s.unacceptRequestSchema,
    answer: s.versionSchema,
  },
  {
    method: 'get',
    path: '/api/versions/{id}/plan',
    summary: 'The version as a plan file',
    media: 'application/json',
  },
  {
    method: 'post',
    path: '/api/versions/{id}/plan',
    summary: 'Frame the version as a plan file says',
    body: s.readFileSchema,
    answer: s.versionReadSchema,
  },
  {
    method: 'post',
    path: '/api/productions/{id}/carry',
    summary: 'Copy a framing, whole or of one shot, to other versions',
    body: s.carryRequestSchema,
    answer: s.carryAnswerSchema,
  },
  { method: 'delete', path: '/api/versions/{id}', summary: 'Remove a version and its files' },
  {
    method: 'post',
    path: '/api/productions/{id}/exports',
    summary: 'Queue the export of some versions',
    body: s.newExportsSchema,
    answer: z.array(s.jobSchema),
  },
  {
    method: 'get',
    path: '/api/productions/{id}/jobs',
    summary: 'A production’s jobs, newest first',
    answer: z.array(s.jobSchema),
  },
  { method: 'post', path: '/api/jobs/{id}/cancel', summary: 'Stop a job', answer: s.jobSchema },
  {
    method: 'post',
    path: '/api/jobs/{id}/retry',
    summary: 'Run a failed or cancelled job again',
    answer: s.jobSchema,
  },
  {
    method: 'get',
    path: '/api/jobs/{id}/log',
    summary: 'What the tools said while a job ran',
    media: 'text/plain',
  },
  {
    method: 'get',
    path: '/api/jobs/{id}/fault-report',
    summary:
      'What can be sent to us of a job that stopped by a fault of Mivvy: plan, log and machine, no film',
    media: 'application/json',
  },
  {
    method: 'get',
    path: '/api/productions/{id}/deliverables',
    summary: 'Every file made for a production, newest first',
    answer: z.array(s.deliverableSchema),
  },
  {
    method: 'get',
    path: '/api/deliverables/{id}/file',
    summary: 'Download a finished file',
    media: 'application/octet-stream',
  },
  {
    method: 'get',
    path: '/api/deliverables/{id}/report',
    summary: 'A file’s check report',
    answer: checkReportSchema,
  },
  {
    method: 'get',
    path: '/api/deliverables/{id}/report.html',
    summary: 'The same as one page that opens anywhere without a network',
    media: 'text/html',
  },
  {
    method: 'get',
    path: '/api/productions/{id}/reports.html',
    summary: 'What came of a production’s exports, with every report in full, as one page',
    media: 'text/html',
  },
  {
    method: 'get',
    path: '/api/productions/{id}/reports.json',
    summary: 'The same as JSON',
    media: 'application/json',
  },
  {
    method: 'post',
    path: '/api/productions/{id}/naming/preview',
    summary: 'What the files of a production would be called by a pattern, and what stands against it',
    body: l.namingRequestSchema,
    answer: l.namingPreviewSchema,
  },
  {
    method: 'post',
    path: '/api/productions/{id}/naming/rename',
    summary: 'Call the files that are there by the production’s pattern',
    answer: l.renamedSchema,
  },
  {
    method: 'get',
    path: '/api/ledger',
    summary:
      'One page of all deliverables: `search`, `stages`, `holder`, `dueFrom`, `dueBy`, `productionId`, `order`, `descending`, `from`, `count`',
    answer: l.ledgerPageSchema,
  },
  {
    method: 'get',
    path: '/api/ledger.csv',
    summary: 'The same rows as a table for other programs',
    media: 'text/csv',
  },
  {
    method: 'get',
    path: '/api/due.ics',
    summary: 'What is due when, as an iCalendar file',
    media: 'text/calendar',
  },
  {
    method: 'get',
    path: '/api/attention',
    summary: 'What needs somebody first, over all productions',
    answer: l.attentionSchema,
  },
  {
    method: 'get',
    path: '/api/ledger/views',
    summary: 'Ways of looking at the ledger that were kept',
    answer: z.array(l.ledgerViewSchema),
  },
  {
    method: 'post',
    path: '/api/ledger/views',
    summary: 'Keep a way of looking at the ledger',
    body: l.newLedgerViewSchema,
    answer: z.array(l.ledgerViewSchema),
  },
  {
    method: 'delete',
    path: '/api/ledger/views/{id}',
    summary: 'Forget a way of looking at the ledger',
  },
  {
    method: 'patch',
    path: '/api/productions/{id}/tracking',
    summary: 'Say when some versions are due, and who has them',
    body: l.trackingChangeSchema,
    answer: l.trackedSchema,
  },
  {
    method: 'get',
    path: '/api/productions/{id}/happenings',
    summary: 'What happened in a production, newest first',
    answer: z.array(l.happeningViewSchema),
  },
  {
    method: 'get',
    path: '/api/versions/{id}/history',
    summary: 'What happened to a version’s files, and the notes to them',
    answer: l.deliverableHistorySchema,
  },
  {
    method: 'post',
    path: '/api/notes/{id}/answers',
    summary: 'Answer a note',
    body: l.noteAnswerSchema,
    answer: z.array(l.noteSchema),
  },
  {
    method: 'patch',
    path: '/api/notes/{id}',
    summary: 'Say that what a note asks for is done, or that it is not',
    body: l.noteChangeSchema,
    answer: z.array(l.noteSchema),
  },
  {
    method: 'post',
    path: '/api/deliverables/{id}/restore',
    summary: 'Frame a version as it was when this file of it was made',
    answer: s.versionSchema,
  },
  {
    method: 'get',
    path: '/api/productions/{id}/review-links',
    summary: 'Links by which people outside see files and answer, with their visits',
    answer: z.array(l.reviewLinkSchema),
  },
  {
    method: 'post',
    path: '/api/productions/{id}/review-links',
    summary: 'Make a review link; its address is told once',
    body: l.newReviewLinkSchema,
    answer: l.madeReviewLinkSchema,
  },
  {
    method: 'post',
    path: '/api/review-links/{id}/revoke',
    summary: 'End a review link',
    answer: l.reviewLinkSchema,
  },
  {
    method: 'get',
    path: '/api/productions/{id}/package',
    summary: 'An archive of the `files` that are named, with reports, manifest and checksums',
    media: 'application/zip',
  },
  {
    method: 'post',
    path: '/api/productions/{id}/package',
    summary: 'The same, written into a folder',
    body: l.packageFolderSchema,
    answer: l.packageWrittenSchema,
  },
  {
    method: 'get',
    path: '/api/productions/{id}/dispatches',
    summary: 'Files of a production on their way out, newest first',
    answer: z.array(l.dispatchSchema),
  },
  {
    method: 'post',
    path: '/api/productions/{id}/dispatches',
    summary: 'Hand files over: to their outlets, or into a folder that another program watches',
    body: l.newDispatchSchema,
    answer: z.array(l.dispatchSchema),
  },
  {
    method: 'post',
    path: '/api/dispatches/{id}/again',
    summary: 'Hand a file over again that was not taken',
    answer: z.array(l.dispatchSchema),
  },
  {
    method: 'post',
    path: '/api/productions/{id}/clear',
    summary: 'Clear older files from the disk, their evidence kept; or say what that would clear',
    body: l.clearFilesSchema,
    answer: l.clearedFilesSchema,
  },
  {
    method: 'post',
    path: '/api/productions/{id}/copy',
    summary: 'Start a production like another: its placements’ set, naming, people and days',
    body: l.copyProductionSchema,
    answer: s.productionSchema,
  },
];

/** The OpenAPI 3.1 document of the HTTP API. Uploads follow the open tus protocol at /api/uploads and are not listed. */
export function openApiDocument(release: string): unknown {
  const registry = new OpenAPIRegistry();
  for (const op of operations) {
    const params = [...op.path.matchAll(/\{(\w+)\}/g)].map((m) => m[1]!);
    registry.registerPath({
      method: op.method,
      path: op.path,
      summary: op.summary,
      request: {
        ...(params.length
          ? { params: z.object(Object.fromEntries(params.map((p) => [p, z.string()]))) }
          : {}),
        ...(op.body ? { body: { content: { 'application/json': { schema: op.body } } } } : {}),
      },
      responses: {
        [op.answer || op.media ? 200 : 204]: op.answer
          ? { description: 'Done', content: { 'application/json': { schema: op.answer } } }
          : op.media
            ? { description: 'Done', content: { [op.media]: { schema: { type: 'string' } } } }
            : { description: 'Done' },
        default: {
          description: 'A problem, in words',
          content: { 'application/json': { schema: problemSchema } },
        },
      },
    });
  }
  return new OpenApiGeneratorV31(registry.definitions).generateDocument({
    openapi: '3.1.0',
    info: {
      title: 'Mivvy',
      version: release,
      description:
        'From one finished edit to every platform version. Uploads follow the tus protocol at /api/uploads.',
    },
    servers: [{ url: '/' }],
  });
}
