import {
  cloud,
  curve,
  dice,
  ease,
  ellipse,
  glints,
  gradient,
  kite,
  paint,
  still,
  type Pen,
} from './paint.ts';
import { hand, maker, portrait, walker, warden } from './people.ts';

const W = 1920;
const H = 1080;

/** Sky, headland and sea, as far as they stand still. The horizon lies at `y`. */
function backdrop(y: number, warm: number, width = W) {
  return still(width, H, (g) => {
    g.fillStyle = gradient(g, 0, y, [
      [0, warm ? '#6d97ae' : '#5f9dc0'],
      [0.55, warm ? '#c2cdc4' : '#a9cfdb'],
      [1, warm ? '#f4d9ab' : '#e9ecdc'],
    ]);
    g.fillRect(0, 0, width, y);
    const sun = g.createRadialGradient(width * 0.74, y * 0.56, 10, width * 0.74, y * 0.56, 520);
    sun.addColorStop(0, `rgba(255,246,219,${warm ? 0.9 : 0.6})`);
    sun.addColorStop(1, 'rgba(255,246,219,0)');
    g.fillStyle = sun;
    g.fillRect(0, 0, width, y);
    // Two headlands, the far one paler.
    for (const [shift, colour, tall] of [
      [width * 0.56, '#9fb3ac', 34],
      [0, '#7f947c', 72],
    ] as const) {
      g.fillStyle = colour;
      curve(
        g,
        [
          [shift, y],
          [shift + 60, y - tall * 0.8],
          [shift + 240, y - tall],
          [shift + 420, y - tall * 0.55],
          [shift + 620, y - tall * 0.3],
          [shift + 760, y],
        ],
        true,
      );
      g.fill();
    }
    // A lighthouse on the near one.
    g.fillStyle = '#f4efe4';
    g.fillRect(236, y - 128, 22, 66);
    g.fillStyle = '#b5493a';
    g.fillRect(236, y - 108, 22, 16);
    g.fillRect(233, y - 140, 28, 13);
    g.fillStyle = gradient(g, y, y + 150, [
      [0, warm ? '#7fa0a0' : '#5e9fac'],
      [0.5, '#458893'],
      [1, '#6fb0ae'],
    ]);
    g.fillRect(0, y, width, 150);
    g.fillStyle = 'rgba(255,255,255,.35)';
    g.fillRect(0, y, width, 2);
  });
}

/** Sand from `y` down, with footprints, shells and tufts of grass. */
function beach(y: number, seed: number, width = W) {
  return still(width, H, (g) => {
    g.fillStyle = gradient(g, y, H, [
      [0, '#cdb78a'],
      [0.1, '#e6d3a8'],
      [1, '#c6a671'],
    ]);
    g.fillRect(0, y, width, H - y);
    const roll = dice(seed);
    for (let i = 0; i < 2600; i++) {
      const depth = roll() ** 1.5;
      g.fillStyle = `rgba(${roll() > 0.5 ? '120,88,48' : '255,244,214'},${0.08 + roll() * 0.2})`;
      g.fillRect(roll() * width, y + 14 + depth * (H - y), 1 + depth * 5, 1 + depth * 2);
    }
    for (let i = 0; i < 34; i++) {
      g.fillStyle = 'rgba(110,80,44,.2)';
      ellipse(g, 90 + i * 56 + roll() * 20, y + 120 + (i % 2) * 16 + Math.sin(i / 5) * 46, 13, 5, 0.2);
      g.fill();
    }
    for (let i = 0; i < 16; i++) {
      const [bx, by] = [roll() < 0.5 ? roll() * 300 : width - roll() * 330, H - roll() * 70];
      for (let k = 0; k < 12; k++) {
        g.strokeStyle = ['#6f7d46', '#8a9355', '#5a6a3d'][k % 3]!;
        g.lineWidth = 4;
        const lean = (roll() - 0.4) * 70;
        curve(g, [
          [bx + k * 4, by + 20],
          [bx + k * 4 + lean * 0.3, by - 40],
          [bx + k * 4 + lean, by - 80 - roll() * 50],
        ]);
        g.stroke();
      }
    }
  });
}

function surf(g: Pen, t: number, y: number, width = W): void {
  for (const [k, alpha] of [
    [0, 0.85],
    [1, 0.4],
  ] as const) {
    g.strokeStyle = `rgba(255,255,255,${alpha})`;
    g.lineWidth = 7 - k * 3;
    const line: [number, number][] = [];
    for (let x = -40; x <= width + 40; x += 80)
      line.push([x, y - k * 22 + Math.sin(x * 0.011 + t * 1.1 + k) * 7 + Math.sin(t * 0.9 + k * 2) * 6]);
    curve(g, line);
    g.stroke();
  }
}

const dayBack = backdrop(640, 0);
const duskBack = backdrop(640, 1);
const sand = beach(786, 11);

function drawTitle(g: Pen, alpha: number): void {
  if (alpha <= 0) return;
  g.globalAlpha = alpha;
  g.fillStyle = 'rgba(20,32,40,.62)';
  g.fillRect(96, 868, 760, 128);
  g.fillStyle = paint.redKite;
  g.fillRect(96, 868, 10, 128);
  g.fillStyle = '#fff';
  g.font = '700 62px Film';
  g.fillText('Kite Weekend', 132, 930);
  g.font = '400 37px Film';
  g.fillText('14–15 June · Gullhaven sea wall', 132, 977);
  g.globalAlpha = 1;
}

/** The wide beach: a red kite crosses from left to right over `u` from 0 to 1; people below. */
function wide(g: Pen, t: number, u: number, back = dayBack): void {
  g.drawImage(back(), 0, 0);
  cloud(g, 0, 330 + t * 5, 175, 1);
  cloud(g, 3, 1420 + t * 4, 130, 0.8, 0.9);
  cloud(g, 5, 900 + t * 3, 300, 0.5, 0.7);
  glints(g, t, 0, 646, W, 116, 70);
  // Two sails on the water.
  for (const [x, size, speed] of [
    [700, 1, 5],
    [1180, 0.7, -4],
  ] as const) {
    const sx = x + t * speed;
    g.fillStyle = '#f7f3ea';
    g.beginPath();
    g.moveTo(sx, 648 - 52 * size);
    g.lineTo(sx + 30 * size, 650);
    g.lineTo(sx, 650);
    g.fill();
    g.fillStyle = '#5c3b2b';
    g.fillRect(sx - 12 * size, 651, 46 * size, 6);
  }
  g.drawImage(sand(), 0, 0);
  surf(g, t, 790);
  const kx = 300 + 1330 * u;
  const ky = 300 - 70 * Math.sin(u * 5.2) + Math.sin(t * 2.3) * 10;
  kite(g, 1530 - t * 4, 200, 0.4, paint.amberKite, t + 2, -0.2);
  kite(g, 1120 + t * 3, 150, 0.3, paint.blueKite, t + 4, 0.15);
  const px = 640 + 640 * u;
  g.strokeStyle = 'rgba(40,40,40,.5)';
  g.lineWidth = 2.5;
  curve(g, [
    [kx + 10, ky + 30],
    [(kx + px) / 2 - 60, (ky + 690) / 2 + 110],
    [px + 42, 706],
  ]);
  g.stroke();
  kite(g, kx, ky, 0.92, paint.redKite, t);
  walker(g, 250 + t * 9, 858, 0.72, '#6b4a5e', t);
  walker(g, 330 + t * 9, 866, 0.76, '#40604f', t + 1);
  walker(g, 1640 - t * 12, 850, 0.7, '#5e5037', t + 2, -1);
  walker(g, px, 900, 1.16, '#37495e', t, 1, true);
}

const hut = still(W, H, (g) => {
  g.drawImage(backdrop(600, 0)(), 0, 0);
  g.drawImage(beach(742, 31)(), 0, 0);
  g.filter = 'none';
  g.fillStyle = gradient(
    g,
    0,
    0,
    [
      [0, '#b59a73'],
      [1, '#8e7450'],
    ],
    1160,
    W,
  );
  g.fillRect(1160, 330, 760, 750);
  for (let i = 0; i < 6; i++) {
    g.fillStyle = i % 2 ? 'rgba(255,240,210,.13)' : 'rgba(60,38,16,.16)';
    g.fillRect(1160 + i * 128, 330, 128, 750);
    g.fillStyle = 'rgba(50,32,14,.5)';
    g.fillRect(1160 + i * 128, 330, 5, 750);
  }
  g.fillStyle = '#5f7f86';
  g.beginPath();
  g.moveTo(1100, 340);
  g.lineTo(1520, 200);
  g.lineTo(W, 330);
  g.lineTo(W, 380);
  g.lineTo(1100, 380);
  g.fill();
});
const softened = (source: ReturnType<typeof still>, blur: number) =>
  still(W, H, (g) => {
    g.filter = `blur(${blur}px)`;
    g.drawImage(source(), -20, -12, W + 40, H + 24);
  });
const hutSoft = softened(hut, 7);
const beachSoft = softened(
  still(W, H, (g) => {
    g.drawImage(duskBack(), 0, -40);
    g.drawImage(sand(), 0, -20, W, H + 20);
  }),
  9,
);

/** The maker, at the left, before the hut; a blue kite hangs at the right. */
function makerTalks(g: Pen, t: number, speak: number): void {
  g.drawImage(hutSoft(), 0, 0);
  g.strokeStyle = 'rgba(50,34,18,.7)';
  g.lineWidth = 4;
  g.beginPath();
  g.moveTo(1560, 372);
  g.lineTo(1560, 440);
  g.stroke();
  kite(g, 1560, 560, 0.98, paint.blueKite, t * 0.4, -0.08);
  portrait(g, 560, 470, 1.32, maker, t, speak, 0.9);
  // A hand comes up while she makes her point.
  const up = Math.max(0, Math.sin(t * 1.25 + 0.6)) ** 1.5;
  if (up > 0.02) {
    g.lineCap = 'round';
    g.strokeStyle = maker.coatDark;
    g.lineWidth = 96;
    curve(g, [
      [850, 1160],
      [880, 1050 - up * 90],
      [838, 1010 - up * 190],
    ]);
    g.stroke();
    hand(
      g,
      832,
      968 - up * 215,
      0.92,
      -0.25 + Math.sin(t * 5) * 0.14,
      maker.skin,
      maker.shade,
      0.15 + 0.2 * Math.sin(t * 3.1),
    );
  }
}

/** The warden, at the right, the beach behind him; a red kite far off at the left. */
function wardenTalks(g: Pen, t: number, speak: number): void {
  g.drawImage(beachSoft(), 0, 0);
  kite(g, 430 + Math.sin(t * 0.8) * 24, 330 + Math.cos(t * 0.7) * 16, 0.62, paint.redKite, t);
  portrait(g, 1370, 486, 1.32, warden, t + 4, speak, -0.9);
  const up = Math.max(0, Math.sin(t * 1.05 - 0.4)) ** 2;
  if (up > 0.02) {
    g.lineCap = 'round';
    g.strokeStyle = warden.coatDark;
    g.lineWidth = 100;
    curve(g, [
      [1080, 1160],
      [1040, 1060 - up * 80],
      [1072, 1020 - up * 150],
    ]);
    g.stroke();
    hand(g, 1076, 980 - up * 180, 0.95, 0.3 + Math.sin(t * 4.4) * 0.1, warden.skin, warden.shade, 0.3);
  }
}

const benchTop = still(W + 120, H + 80, (g) => {
  g.fillStyle = gradient(g, 0, H, [
    [0, '#6b4c31'],
    [0.5, '#8a6542'],
    [1, '#6f4f33'],
  ]);
  g.fillRect(0, 0, W + 120, H + 80);
  const roll = dice(91);
  for (let i = 0; i < 260; i++) {
    const y = roll() * (H + 80);
    g.strokeStyle = `rgba(${roll() > 0.5 ? '40,22,8' : '214,170,118'},${0.06 + roll() * 0.12})`;
    g.lineWidth = 1 + roll() * 3;
    curve(g, [
      [-20, y],
      [500, y + roll() * 26 - 13],
      [1100, y + roll() * 26 - 13],
      [W + 140, y + roll() * 10],
    ]);
    g.stroke();
  }
  for (let i = 1; i < 4; i++) {
    g.fillStyle = 'rgba(30,16,6,.6)';
    g.fillRect(0, i * 290, W + 120, 5);
  }
  // Red sailcloth with its stitching, a roll of tape, thread.
  g.fillStyle = gradient(g, 300, 1000, [
    [0, '#d0503d'],
    [1, '#a63627'],
  ]);
  g.beginPath();
  g.moveTo(240, 980);
  g.lineTo(930, 360);
  g.lineTo(1640, 760);
  g.lineTo(1180, 1180);
  g.lineTo(420, 1180);
  g.fill();
  g.setLineDash([14, 9]);
  g.strokeStyle = 'rgba(255,236,214,.75)';
  g.lineWidth = 3;
  g.beginPath();
  g.moveTo(276, 976);
  g.lineTo(932, 388);
  g.lineTo(1600, 764);
  g.stroke();
  g.setLineDash([]);
  for (const [r, c] of [
    [96, '#e8dcc0'],
    [80, '#cdbb92'],
    [46, '#6f4f33'],
  ] as const) {
    g.fillStyle = c;
    ellipse(g, 1700, 270, r, r * 0.92);
    g.fill();
  }
  g.strokeStyle = '#f3ead2';
  g.lineWidth = 3;
  curve(g, [
    [180, 260],
    [360, 160],
    [520, 330],
    [420, 420],
    [260, 330],
    [420, 220],
    [690, 330],
  ]);
  g.stroke();
});

/** Hands tie two spars together on the bench. */
function bench(g: Pen, t: number): void {
  g.drawImage(benchTop(), -60 + t * 6, -40 + t * 2);
  g.lineCap = 'round';
  for (const [colour, width] of [
    ['#5f4527', 36],
    ['#d9c08f', 28],
    ['#ecd9ae', 9],
  ] as const) {
    g.strokeStyle = colour;
    g.lineWidth = width;
    g.beginPath();
    g.moveTo(380, 900);
    g.lineTo(1520, 470);
    g.moveTo(700, 380);
    g.lineTo(1230, 960);
    g.stroke();
  }
  const pull = Math.sin(t * 2.4);
  g.strokeStyle = '#f3ead2';
  g.lineWidth = 7;
  for (let i = 0; i < 5; i++) {
    curve(g, [
      [920 + i * 9, 630 + i * 8],
      [958 + i * 5, 664],
      [1006 - i * 6, 706 - i * 4],
    ]);
    g.stroke();
  }
  curve(g, [
    [964, 668],
    [860 - pull * 40, 740],
    [740 - pull * 52, 742 + pull * 16],
  ]);
  g.stroke();
  curve(g, [
    [970, 664],
    [1080 + pull * 40, 604],
    [1200 + pull * 52, 610 - pull * 18],
  ]);
  g.stroke();
  const sleeve = (points: [number, number][], colour: string) => {
    g.strokeStyle = colour;
    g.lineWidth = 150;
    curve(g, points);
    g.stroke();
  };
  sleeve(
    [
      [180, 1190],
      [420, 1010],
      [596 - pull * 50, 862 + pull * 14],
    ],
    maker.coat,
  );
  hand(g, 690 - pull * 52, 784 + pull * 16, 1.32, 0.85, maker.skin, maker.shade, 0.75);
  sleeve(
    [
      [1760, 1190],
      [1540, 900],
      [1352 + pull * 50, 716 - pull * 16],
    ],
    maker.coat,
  );
  hand(g, 1256 + pull * 52, 640 - pull * 18, 1.32, -0.95, maker.skin, maker.shade, 0.75);
}

const wallWidth = 3600;
const wallStones = still(wallWidth, H, (g) => {
  g.drawImage(backdrop(600, 0, wallWidth)(), 0, 0);
  g.drawImage(beach(744, 57, wallWidth)(), 0, 0);
  const roll = dice(17);
  const topAt = (x: number) => 690 - x * 0.028;
  g.fillStyle = '#77716a';
  g.beginPath();
  g.moveTo(0, topAt(0));
  g.lineTo(wallWidth, topAt(wallWidth));
  g.lineTo(wallWidth, 900);
  g.lineTo(0, 960);
  g.fill();
  for (let row = 0; row < 5; row++) {
    for (let x = -40 + (row % 2) * 50; x < wallWidth; x += 104 + roll() * 30) {
      const y = topAt(x) + 12 + row * 50;
      g.fillStyle = ['#8d867d', '#9a9389', '#7f7870', '#a39b8f'][Math.floor(roll() * 4)]!;
      g.beginPath();
      g.roundRect(x, y, 94 + roll() * 12, 42, 7);
      g.fill();
    }
  }
  g.fillStyle = '#b8b0a3';
  g.beginPath();
  g.moveTo(0, topAt(0) - 14);
  g.lineTo(wallWidth, topAt(wallWidth) - 14);
  g.lineTo(wallWidth, topAt(wallWidth) + 6);
  g.lineTo(0, topAt(0) + 6);
  g.fill();
  for (let x = 240; x < wallWidth; x += 560) {
    g.fillStyle = '#3c4448';
    g.fillRect(x, topAt(x) - 210, 10, 200);
    g.beginPath();
    g.roundRect(x - 14, topAt(x) - 246, 38, 40, 8);
    g.fill();
    g.fillStyle = '#ffe9b0';
    g.fillRect(x - 7, topAt(x) - 239, 24, 26);
  }
});

/** The sea wall, panned along slowly; a row of kites above it. */
function seaWall(g: Pen, t: number, u: number): void {
  const shift = (wallWidth - W) * ease(u, 0, 1);
  g.save();
  g.translate(-shift, 0);
  g.drawImage(wallStones(), 0, 0);
  for (let i = 0; i < 5; i++)
    cloud(g, i + 1, 300 + i * 760 + t * 4, 150 + (i % 3) * 70, 0.6 + (i % 2) * 0.3, 0.9);
  const colours = [paint.redKite, paint.amberKite, paint.blueKite, '#4f7a4b'];
  for (let i = 0; i < 11; i++)
    kite(
      g,
      190 + i * 320,
      330 - (i % 3) * 84 + Math.sin(t * 1.6 + i) * 12,
      0.36 + (i % 2) * 0.08,
      colours[i % 4]!,
      t + i,
      -0.2 + (i % 3) * 0.15,
    );
  for (let i = 0; i < 7; i++)
    walker(
      g,
      420 + i * 470 + t * (i % 2 ? 16 : -12),
      676 - (420 + i * 470) * 0.028 - 2,
      0.62,
      ['#6b4a5e', '#37495e', '#7a5a3a', '#40604f'][i % 4]!,
      t + i,
      i % 2 ? 1 : -1,
    );
  g.restore();
}

const path = still(W, H, (g) => {
  g.drawImage(dayBack(), 0, 0);
  g.drawImage(beach(770, 71)(), 0, 0);
  g.fillStyle = '#d8c9a3';
  g.beginPath();
  g.moveTo(900, H);
  g.bezierCurveTo(1080, 930, 1180, 860, 1300, 786);
  g.lineTo(1370, 786);
  g.bezierCurveTo(1420, 880, 1480, 960, 1560, H);
  g.fill();
  for (let i = 0; i < 9; i++) {
    const x = 40 + i * 118;
    g.fillStyle = '#8a7354';
    g.fillRect(x, 800 - i * 4, 14, 120);
    g.fillStyle = '#a18863';
    g.fillRect(x + 14, 830 - i * 4, 104, 10);
    g.fillRect(x + 14, 870 - i * 4, 104, 10);
  }
});

/** A signpost at the far right edge; an amber kite at the left. */
function sign(g: Pen, t: number): void {
  g.drawImage(path(), 0, 0);
  glints(g, t, 0, 646, W, 110, 50);
  cloud(g, 2, 760 + t * 5, 200, 0.9);
  kite(g, 480 + Math.sin(t) * 26, 400 + Math.cos(t * 1.2) * 18, 1, paint.amberKite, t);
  g.fillStyle = 'rgba(40,28,14,.25)';
  ellipse(g, 1700, 1004, 90, 14);
  g.fill();
  g.fillStyle = gradient(
    g,
    0,
    0,
    [
      [0, '#7a5c3c'],
      [1, '#4b3620'],
    ],
    1664,
    1700,
  );
  g.fillRect(1664, 330, 36, 674);
  g.save();
  g.translate(1682, 470);
  g.rotate(Math.sin(t * 1.4) * 0.012);
  g.fillStyle = '#5b4630';
  g.beginPath();
  g.roundRect(-236, -126, 464, 246, 14);
  g.fill();
  g.fillStyle = paint.cream;
  g.beginPath();
  g.roundRect(-226, -116, 444, 226, 10);
  g.fill();
  g.fillStyle = paint.ink;
  g.textAlign = 'center';
  g.font = '700 76px Film';
  g.fillText('Kite store', -4, -24);
  g.font = '400 46px Film';
  g.fillText('by the old slipway', -4, 40);
  g.fillStyle = paint.redKite;
  g.fillRect(-150, 66, 292, 8);
  g.restore();
  g.textAlign = 'left';
  walker(g, 1130 + t * 26, 950, 1.1, '#6b4a5e', t);
}

/** The end card. */
function card(g: Pen, t: number): void {
  g.fillStyle = gradient(g, 0, H, [
    [0, '#2a4d58'],
    [1, '#1b333c'],
  ]);
  g.fillRect(0, 0, W, H);
  g.globalAlpha = 0.12;
  for (let i = 0; i < 6; i++) kite(g, 160 + i * 330, 180 + (i % 2) * 640, 0.5, paint.cream, t + i, -0.2);
  g.globalAlpha = 1;
  kite(g, 960, 320, 0.95, paint.amberKite, t, -0.12);
  const a = ease(t, 0.1, 0.7);
  g.globalAlpha = a;
  g.textAlign = 'center';
  g.fillStyle = '#fff';
  g.font = '700 92px Film';
  g.fillText('See you on the wall', 960, 812);
  g.font = '400 48px Film';
  g.fillText('Gullhaven Harbour Trust · 14–15 June', 960, 888);
  g.textAlign = 'left';
  g.globalAlpha = 1;
}

/** One shot of a film. */
export interface Shot {
  /** Length in seconds; a whole number of frames at the film's rate. */
  seconds: number;
  /** Who speaks in it, if anybody. */
  voice?: 'maker' | 'warden';
  /**
   * @param t seconds since the shot began
   * @param u 0 at the shot's start, 1 at its end
   * @param speak how far the speaker's mouth is open, 0 to 1
   */
  draw: (g: Pen, t: number, u: number, speak: number) => void;
}

const fr = (frames: number) => frames / 25;

/** The opening of “Kite Weekend” as it is without its title. */
export const openingWithoutTitle: Shot = {
  seconds: fr(125),
  draw: (g, t, u) => wide(g, t, u * 0.3),
};

/** “Kite Weekend”, shot by shot; 1060 frames at 25 a second. */
export const kiteWeekend: readonly Shot[] = [
  {
    seconds: openingWithoutTitle.seconds,
    draw: (g, t, u, speak) => {
      openingWithoutTitle.draw(g, t, u, speak);
      drawTitle(g, ease(t, 0.5, 0.9) * (1 - ease(t, 4.3, 4.7)));
    },
  },
  { seconds: fr(75), voice: 'maker', draw: (g, t, _u, s) => makerTalks(g, t, s) },
  { seconds: fr(75), voice: 'warden', draw: (g, t, _u, s) => wardenTalks(g, t, s) },
  { seconds: fr(110), draw: (g, t, u) => wide(g, t + 8, 0.3 + u * 0.35) },
  { seconds: fr(95), voice: 'maker', draw: (g, t, _u, s) => makerTalks(g, t + 11, s) },
  { seconds: fr(100), draw: (g, t) => bench(g, t) },
  { seconds: fr(70), voice: 'warden', draw: (g, t, _u, s) => wardenTalks(g, t + 9, s) },
  { seconds: fr(150), draw: (g, t, u) => seaWall(g, t, u) },
  { seconds: fr(70), voice: 'maker', draw: (g, t, _u, s) => makerTalks(g, t + 19, s) },
  { seconds: fr(75), draw: (g, t) => sign(g, t) },
  { seconds: fr(55), draw: (g, t, u) => wide(g, t + 20, 0.66 + u * 0.3, duskBack) },
  { seconds: fr(60), draw: (g, t) => card(g, t) },
];

/** A quick teaser, made to be 50 frames a second. */
export const teaser: readonly Shot[] = [
  { seconds: 3, draw: (g, t, u) => wide(g, t * 1.6, 0.05 + u * 0.6) },
  { seconds: 3, draw: (g, t, u) => seaWall(g, t * 1.5, u) },
  { seconds: 3, draw: (g, t) => bench(g, t * 1.6) },
  { seconds: 3, draw: (g, t) => card(g, t) },
];

/** What a visitor filmed with a phone held upright: the warden's kite lesson, 1080 × 1920. */
export function phoneClip(g: Pen, t: number): void {
  const shake = [Math.sin(t * 6.1) * 5 + Math.sin(t * 2.3) * 8, Math.sin(t * 5.3 + 1) * 5] as const;
  g.save();
  g.translate(-430 + shake[0], shake[1] - 30);
  g.scale(1.84, 1.84);
  g.drawImage(dayBack(), 0, 0);
  g.drawImage(sand(), 0, 0);
  surf(g, t, 790);
  g.restore();
  kite(g, 660 + Math.sin(t * 1.1) * 150, 520 + Math.cos(t * 0.9) * 70, 1.25, paint.amberKite, t);
  walker(g, 250 + t * 14, 1560, 1.7, '#6b4a5e', t);
  walker(g, 520 + Math.sin(t) * 20, 1740, 3.2, '#37526b', t * 0.7, 1, true);
}

/** Old footage of the same wall, 4:3, drawn on 1440 × 1080. */
export function archiveClip(g: Pen, t: number, u: number): void {
  const jump = Math.sin(t * 19) * 1.4 + (Math.floor(t * 3) % 7 === 0 ? 4 : 0);
  g.save();
  g.translate(-240, jump);
  seaWall(g, t * 1.3, u * 0.5);
  g.restore();
}
