/** Pictures and films that layers show, fetched once; who waits for one is told when it has come. */
const pictures = new Map<string, HTMLImageElement>();
/** Of each proof its own: versions stand at other times of the same film. */
const films = new WeakMap<HTMLCanvasElement, Map<string, HTMLVideoElement>>();
const waiting = new Set<() => void>();
const tellAll = () => waiting.forEach((tell) => tell());

/** The picture of a sum, once it has come. */
export function pictureOf(sha256: string): HTMLImageElement | null {
  const there = pictures.get(sha256);
  if (there) return there.complete && there.naturalWidth > 0 ? there : null;
  const image = new Image();
  image.addEventListener('load', tellAll);
  image.src = `/api/graphics/${sha256}`;
  pictures.set(sha256, image);
  return null;
}

/** Nearer than this to the wanted time, a film shows the wanted picture; seconds. */
const near = 0.011;

/** A film's picture at a time, seconds: the one that it shows now, while the wanted one is on its way. */
export function filmPictureAt(
  proof: HTMLCanvasElement,
  sha256: string,
  seconds: number,
): HTMLVideoElement | null {
  const own = films.get(proof) ?? new Map<string, HTMLVideoElement>();
  films.set(proof, own);
  let video = own.get(sha256);
  if (!video) {
    video = document.createElement('video');
    video.muted = true;
    video.preload = 'auto';
    for (const event of ['seeked', 'loadeddata']) video.addEventListener(event, tellAll);
    video.src = `/api/graphics/${sha256}`;
    own.set(sha256, video);
  }
  if (video.readyState < 1) return null;
  const at = Math.min(seconds + 0.01, Math.max(0, video.duration - 0.001));
  if (!video.seeking && Math.abs(video.currentTime - at) > near) video.currentTime = at;
  return video.readyState >= 2 ? video : null;
}

/** Hears of every picture that comes. */
export function onPicture(tell: () => void): () => void {
  waiting.add(tell);
  return () => void waiting.delete(tell);
}
