export { locateTools, forgetTools, type Tools } from './ffmpeg/locate.ts';
export { Cancelled } from './ffmpeg/run.ts';
export { probeMaster, countFrames } from './ingest/probe.ts';
export { measureLoudness } from './ingest/loudness.ts';
export { sha256File } from './ingest/hash.ts';
export { makeProxy, makeStrip, stripStills } from './ingest/proxy.ts';
export { deliver, type Delivered, type DeliverProgress } from './render/deliver.ts';
export { measureFile } from './measure/measure.ts';
