/** How Chromium is started for tests and measurements: without a monitor, a graphics card or the network. */
export const browserArgs = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];
