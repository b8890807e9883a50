/** So long after somebody last touched the page it still counts as attended, milliseconds. */
const attendedMs = 60_000;

let touchedAt = Date.now();

/** Takes notice of hands on this page. */
export function noticeHands(): void {
  for (const kind of ['pointermove', 'pointerdown', 'keydown', 'wheel'])
    window.addEventListener(kind, () => (touchedAt = Date.now()), { passive: true, capture: true });
}

/** What a request says while nobody touches the page: what is asked for then keeps nobody signed in. */
export const unattended = (): Record<string, string> =>
  Date.now() - touchedAt > attendedMs ? { 'X-Unattended': '1' } : {};
