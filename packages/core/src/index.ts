export { canonicalJson } from './canonical.ts';
export {
  ok,
  fail,
  faultLine,
  ownFault,
  ownFaultCode,
  problemLine,
  type Problem,
  type Result,
} from './problem.ts';
export { countWords, listWords } from './words.ts';
export {
  sizeSchema,
  clamp,
  aspectLabel,
  overlaps,
  shapeWord,
  type Size,
  type MasterRect,
  type FrameFraction,
} from './picture/geometry.ts';
export { largestWindowSize, frameForMaster, enlargement } from './picture/fit.ts';
export { publishedMargins, insideMargins } from './picture/safe.ts';
export {
  rateSchema,
  rate,
  fps,
  parseRate,
  rateText,
  rateLabel,
  nearestKnownRate,
  frameToSeconds,
  nearestFrame,
  framesWithin,
  type Rate,
} from './time/rate.ts';
export { frameSpanSchema, spanLength, type FrameSpan } from './time/span.ts';
export { frameToTimecode, parseTimecode, durationLabel } from './time/timecode.ts';
export {
  placementSchema,
  outletSchema,
  type SpecBook,
  specBookJsonSchema,
  type Placement,
  type Outlet,
} from './specs/schema.ts';
export type { VideoCodec, VideoRate } from './specs/video-rate.ts';
export { placementWords, unmeetableIn } from './specs/rules/rules.ts';
export { differenceWords, placementDifferences, type PlacementDifference } from './specs/differences.ts';
export { bookChanges, movedPlacement, type BookChange } from './specs/book-changes.ts';
export {
  daySchema,
  daysSinceChecked,
  isStale,
  neededAfter,
  neededWords,
  placementRevisionSchema,
  revisionInForce,
  revisionsToCome,
  staleAfterDays,
  type NeededAfter,
  type PlacementRevision,
} from './specs/revisions.ts';
export { loudnessToleranceLu } from './specs/rules/audio.ts';
export { readSpecBook, allPlacements, findPlacement, rateRule, type PlacedOutlet } from './specs/book.ts';
export {
  loudnessSchema,
  masterFactsSchema,
  masterSeconds,
  pictureStart,
  pictureStartInSound,
  codecLabel,
  sizeLabel,
  channelsLabel,
  decibelLabel,
  masterSummary,
  masterNotes,
  scrubsSlowly,
  playsSlowly,
  browserPlays,
  type Loudness,
  type MasterFacts,
} from './masters/facts.ts';
export {
  couldBeTextless,
  drawnFrom,
  differenceSchema,
  matchProblem,
  mostDifferences,
  otherPicture,
  seenLeft,
  textlessFilmSchema,
  unexplained,
  type DrawnFrom,
  type TextlessFilm,
} from './masters/textless.ts';
export { DifferenceFinder, type Difference } from './compare/differences.ts';
export { otherSound } from './compare/same-sound.ts';
export {
  mostShots,
  shotsSchema,
  oneShot,
  middleOfSpan,
  shotSpans,
  shotIndexAt,
  addShotBoundary,
  moveShotBoundary,
  removeShotBoundary,
  withSetup,
  freeSetup,
  shotsFromCuts,
  type Shot,
} from './shots/shots.ts';
export { thumbWidth, thumbHeight, thumbBytes, plainDifference, type Thumb } from './shots/thumb.ts';
export { ShotFinder } from './shots/find.ts';
export { groupSetups, shotsOfJoins, matchShots, looksEvery, type Thumbnails } from './shots/looks.ts';
export { lookSize, looksAtEvery, type LookPicture, type LookBox } from './subjects/picture.ts';
export { subjectKinds, type Sight } from './subjects/tracks.ts';
export {
  trackedBoxSchema,
  trackSchema,
  shotLookSchema,
  lookAtShot,
  followDrawn,
  placeAt,
  stitchLooks,
  detectorNoteSchema,
  subjectScanSchema,
  overlayName,
  type TrackedBox,
  type Track,
  type ShotLook,
  type DetectorNote,
  type SubjectScan,
} from './subjects/look.ts';
export {
  maxZoom,
  centredPose,
  windowOf,
  poseAt,
  clampPose,
  zoomAbout,
  snapPose,
  type Pose,
} from './framing/pose.ts';
export { usualLively, livelyWords } from './framing/lively.ts';
export { moveSchema, type Move, type MoveOf } from './framing/moves/kinds.ts';
export { withPoint, type FollowMove, type SetPoint, type SetSpan } from './framing/moves/follow.ts';
export { withoutKey } from './framing/moves/path.ts';
export type { PathKey } from './framing/moves/kind.ts';
export { poseOfMove, editFrame, setFrames, withPoseAt, moveAs } from './framing/move.ts';
export {
  filled,
  framingSchema,
  heldFraming,
  stretchAt,
  softReduction,
  upperHeight,
  frameOfPanel,
  layoutAt,
  windowAt,
  type Fill,
  type Framing,
  type Layout,
} from './framing/framing.ts';
export { chooseWindow } from './framing/follow.ts';
export { judgeFollowing, worthALook, type Judgement } from './framing/judge.ts';
export {
  subjectsIn,
  followUnit,
  filmToFollow,
  followFilm,
  isUntouched,
  followedWords,
  judgeFilm,
  judgeUnit,
  worthLooks,
  withUnitMarks,
  putBack,
  type FollowFilm,
  type FollowedFilm,
  type JudgedUnit,
} from './framing/follow-film.ts';
export {
  unitsOf,
  unitAt,
  clipOf,
  replaceFramingIn,
  sharedSetup,
  setShotFraming,
  shareWithSetup,
  frameAlone,
  moveChange,
  type Unit,
  type Clip,
} from './framing/shots-of.ts';
export { commonArea } from './framing/common-area.ts';
export {
  carryFraming,
  carryKeeps,
  carryKept,
  matchByTime,
  type CarryFilm,
  type ShotMatch,
} from './framing/carry.ts';
export { guidePatterns, guideWeight, guideSvg, guideTable, type Guide } from './framing/guides.ts';
export {
  writeVersionPlan,
  type VersionPlan,
  readVersionPlan,
  planForMaster,
  type FittedPlan,
  versionPlanJsonSchema,
} from './framing/plan-file.ts';
export {
  paceSchema,
  asEdited,
  usualCeiling,
  pace,
  paceValue,
  parsePace,
  usualJoinMs,
  keptSchema,
  keptLength,
  keptFrameAt,
  playsAt,
  joinKept,
  checkKept,
  dropFrames,
  keepFrames,
  keepWithin,
  keepsAny,
  keepOrDrop,
  splitKept,
  moveKept,
  trimKept,
  rollJoin,
  playedSchema,
  playedWithin,
  paceForRate,
  justFits,
  type Pace,
  type Played,
} from './edits/cut.ts';
export { adviceFor, leastAdvice, takeAdvice, type AdviceReason, type Advice } from './edits/advice.ts';
export { resamplePlan } from './render/resample.ts';
export { renderPlanSchema, type RenderPlan, type PlannedVersion } from './render/plan-schema.ts';
export {
  deliveredFrameAt,
  keptIndexAt,
  masterFrameAt,
  planLayout,
  stillWindow,
  planSeconds,
} from './render/read-plan.ts';
export {
  effortGains,
  effortGainSchema,
  effortGainWords,
  efforts,
  effortSchema,
  effortWords,
  type Effort,
  type EffortGain,
  type EffortTrial,
} from './render/effort.ts';
export { lowBitsPerPixel, sharpenSchema, sharpenSteps } from './render/sharpen.ts';
export { deliveredSpan, stripPlan } from './render/strip.ts';
export { coverPlan, middleFrame } from './render/cover.ts';
export { planMaster, makePlan, rendererRevision, planFingerprint, type PlanInput } from './render/plan.ts';
export { planVersion, type VersionAsPlanned } from './render/planned.ts';
export { timeLeft, timeLeftWords, timeLeftFigures, type TimeLeft } from './edits/time-left.ts';
export {
  keepSchema,
  keepsSchema,
  keepAt,
  withKeepAt,
  clampFraction,
  keepsWithin,
  type MasterFraction,
  type Keep,
  type KeepKind,
} from './checks/keeps.ts';
export { hiddenKeeps, type Watchable } from './checks/visibility.ts';
export { suggestMend } from './checks/mend.ts';
export { bytesLabel, spansLabel, bitrateLabel } from './checks/labels.ts';
export { troubleKind, refusal, isPlaced, type Trouble } from './checks/trouble-kinds.ts';
export {
  marginChoiceSchema,
  marginsFor,
  frameRules,
  troublesOf,
  acceptanceSchema,
  troubleMark,
  partAccepted,
  type MarginChoice,
  type Acceptance,
} from './checks/troubles.ts';
export { facesSeen, seenFaceSchema, type SeenFace } from './captions/seen-faces.ts';
export { seenThings, offeredKeeps, seenSlack, seenAtLeast, type SeenThing } from './checks/seen.ts';
export { assuranceWords, type LookedAtFilm } from './checks/assurance.ts';
export { causesOf, type Cause } from './checks/causes.ts';
export {
  hidingOf,
  moveWindow,
  moveWindowWhile,
  showWhole,
  waysOut,
  type RemedyVersion,
  type WayOut,
} from './checks/remedies.ts';
export { wholeFilm, zoomedAt, panned, viewOf, withFrame, type ScoreView } from './score/view.ts';
export { rulerTicks } from './score/ruler.ts';
export { groupNarrow } from './score/group.ts';
export { levelsOfDetail, curveBetween } from './score/levels.ts';
export { draggedSpan, type SpanPart } from './score/drag-span.ts';
export { snapTo } from './score/snap.ts';
export { standingOut } from './subjects/stand-out.ts';
export { packSheet, sizeAt, type PackedSheet, type SheetRoom } from './sheet/pack.ts';
export { checkLineSchema, lineIdOf, type CheckLine } from './checks/check-line.ts';
export type { LoudnessOverTime, MeasuredFile } from './checks/measured-file.ts';
export { averageKbps, kbpsBySecond, peakKbps, type CodedPicture } from './checks/bitrate.ts';
export {
  readCaptions,
  sidecarText,
  writeCaptions,
  type CaptionFormat,
  type Cue,
  type ReadCaptions,
} from './interchange/captions.ts';
export { cueAt } from './layers/paint.ts';
export { coverLine, leastCoverLikeness, mostCoverDifference, type FoundCover } from './checks/cover-line.ts';
export { captionsLine } from './checks/captions-line.ts';
export { retimeCues } from './captions/retime.ts';
export { countCharacters, wrapCues } from './captions/wrap.ts';
export { layOutCaptions, wrapForFrame, type BurnedCaptions } from './captions/burned.ts';
export { timeScript, type HeardFilm, type ScriptCue } from './captions/script.ts';
export {
  addCue,
  joinCues,
  replaceInCues,
  retimeCue,
  shiftCues,
  splitCue,
  stretchCues,
  type EditedCue,
} from './captions/edit-cues.ts';
export { usualReading } from './specs/rules/captions.ts';
export { withCaptions } from './captions/with-captions.ts';
export {
  captionFace,
  ownFaceSchema,
  isOwn,
  letterWeights,
  typefaceNames,
  type Face,
  type OwnFace,
  type ShippedFace,
} from './letters/face.ts';
export { fontFiles, type FontFile } from './letters/font-files.ts';
export type { ShapedLine, Shaper } from './letters/shaper.ts';
export {
  anchors,
  bare,
  captionTrackSchema,
  cueSchema,
  dressingSchema,
  dressingShown,
  layerContentSchema,
  layerIn,
  layerSchema,
  mostLayers,
  mostLetters,
  trackFor,
  type Anchor,
  type CaptionTrack,
  type Dressing,
  type Layer,
  type PatchContent,
  type LayerContent,
  type LayerOtherwise,
  type LayerPlace,
  type ReadingLimits,
  type WordStyle,
} from './layers/layer.ts';
export { startStyles } from './layers/styles.ts';
export { clearArea, type FrameRect } from './layers/clear-area.ts';
export { anchored, type LaidLayer } from './layers/lay-out.ts';
export { graphicKinds, graphicsShown, type PlannedLayer, type ShownGraphic } from './layers/planned-layer.ts';
export { fillFromRing, ringSources, softPatch, type SoftPatch } from './layers/soft-patch.ts';
export { saidAgain, sayAgain, type BurnedIn, sayAnew } from './layers/say-anew.ts';
export { dress, type Dressed } from './layers/dress.ts';
export { draftLayer, draftLayerId } from './layers/draft-mark.ts';
export { coveredAt } from './layers/covered.ts';
export {
  bandOf,
  layerFilmAt,
  opacityAt,
  paintCue,
  paintLaidOver,
  type LaidOver,
  type Pen,
} from './layers/paint.ts';
export { median } from './median.ts';
export { comparisonSchema, type Comparison } from './compare/comparison.ts';
export { structuralSimilarity } from './compare/likeness.ts';
export { fitCells, fitSide, gridOf, scaledRect, type Drawable } from './compare/grid.ts';
export { drawPlan, type PlanPicture } from './compare/draw-plan.ts';
export { compareTimes } from './compare/times.ts';
export { correlation } from './compare/register.ts';
export { placesOf } from './compare/places.ts';
export { judgeOf, type Films, type Judged, type Planes, type Sample } from './compare/judge.ts';
export { leanOf, leaning, type Lean } from './compare/lean.ts';
export { sampledFrames } from './compare/samples.ts';
export { compareSoundRate, soundOffsets, type SoundOffset } from './compare/sound-offset.ts';
export { soundFaults } from './compare/sound-faults.ts';
export { monoOf, type Sound, type SoundFault } from './compare/sound.ts';
export { reportPage, type ReportPage } from './checks/report-page.ts';
export { summaryPage, summaryWords, type RunSummary } from './checks/summary-page.ts';
export type { Wanted } from './checks/wanted.ts';
export { wantedAlone } from './checks/alone.ts';
export { checkReportSchema, checkFile, withLine, type CheckReport } from './checks/report.ts';
export { readCutList } from './interchange/cuts.ts';
export { writeEdl, writeOtio, readCutFile } from './interchange/cut-files.ts';
export { forecast, type Forecast, type MadeFile } from './delivery/forecast.ts';
export {
  slug,
  deliverableName,
  nameByPattern,
  nameTroubles,
  nameKey,
  freeName,
  versionTag,
  type NameFacts,
} from './delivery/naming.ts';
export {
  longestPattern,
  nameParts,
  readPattern,
  usualPattern,
  writePattern,
  type NamePart,
  type NamePiece,
} from './delivery/name-pattern.ts';
export { standingOf, behindReasons, exportable, type Standing } from './delivery/standing.ts';
export { handoverOf, handovers, type FileFact, type Handover } from './delivery/handover.ts';
export { stageOf, stages, waitsFor, type Stage } from './delivery/stage.ts';
export { happeningSchema, happeningInShort, happeningWords, type Happening } from './delivery/happenings.ts';
