export { locateTools, forgetTools, type Tools } from './ffmpeg/locate.ts';
export { Cancelled } from './ffmpeg/run.ts';
export { probeMaster, countFrames } from './ingest/probe.ts';
export { measureLoudness } from './ingest/loudness.ts';
export { listenAlong, type Heard } from './ingest/listen.ts';
export { sha256File } from './ingest/hash.ts';
export { decodingCost } from './ingest/decoding-cost.ts';
export { makeProxy } from './ingest/proxy.ts';
export {
  prepareFilm,
  framesAhead,
  type Preparation,
  type PreparedPart,
  type PreparingOptions,
} from './ingest/prepare.ts';
export { copyPicture } from './ingest/picture-copy.ts';
export { makePoster, makeStill, stillHeight } from './ingest/still.ts';
export { findShots, type FoundShots } from './shots/find-shots.ts';
export { lookAtFilm } from './looking/look-at-film.ts';
export { followDrawnBox } from './looking/follow-drawn.ts';
export { guidePng } from './guides/guide-png.ts';
export { deliver, deliverStages, type Delivered, type DeliverProgress } from './render/deliver.ts';
export { colourTags } from './render/colour-tags.ts';
export { DecodedFilms } from './render/decoded-films.ts';
export { SoundShelf } from './render/sound-shelf.ts';
export { readHead, type FileHead } from './measure/file-head.ts';
export { decodesWhole } from './measure/decodes-whole.ts';
export { measureFile, measureFrom } from './measure/measure.ts';
export { checkAgainst, type HeldAgainst } from './compare/check-against.ts';
export { examineFile } from './compare/examine-file.ts';
export { matchTextless, type ReadFilm } from './compare/match-textless.ts';
export { heardIn } from './render/sound.ts';
export { fontPath, shaperWith, shaperWithFiles, shippedShaper } from './letters/shaper.ts';
export { readTypeface } from './letters/typeface.ts';
export { pictureAsPlanned, pictureInFile } from './compare/frame-pictures.ts';
export { picturesAgree } from './compare/pictures-agree.ts';
export { measureEfforts } from './strips/efforts.ts';
export { drawStrip, encodeStrip, type StripFilm } from './strips/strip.ts';
export { coverLineOf, coverName } from './covers/cover.ts';
export { sidecarLine, sidecarName } from './captions/sidecar.ts';
export { readCaptionBytes, readCaptionFile } from './captions/read-file.ts';
export { isPicture, takeGraphic } from './layers/graphic.ts';
export { previewGraphicFilm, readGraphicFilm } from './layers/graphic-film.ts';
export { IdleWatch } from './machine/bears.ts';
export { faultReport } from './machine/fault-report.ts';
