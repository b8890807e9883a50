import { curve, ellipse, gradient, paint, type Pen } from './paint.ts';

/** A small person seen from afar, walking. */
export function walker(
  g: Pen,
  x: number,
  y: number,
  size: number,
  coat: string,
  t: number,
  facing: 1 | -1 = 1,
  holdingLine = false,
): void {
  const stride = Math.sin(t * 5.2 + x * 0.02);
  g.save();
  g.translate(x, y);
  g.scale(size * facing, size);
  g.fillStyle = 'rgba(40,30,20,.22)';
  ellipse(g, 16, 2, 42, 8);
  g.fill();
  g.lineCap = 'round';
  const limb = (
    from: [number, number],
    knee: [number, number],
    to: [number, number],
    width: number,
    colour: string,
  ) => {
    g.strokeStyle = colour;
    g.lineWidth = width;
    curve(g, [from, knee, to]);
    g.stroke();
  };
  limb([0, -62], [6 + 10 * -stride, -32], [16 * -stride, -2], 15, '#33383f');
  limb([0, -62], [6 + 10 * stride, -32], [16 * stride, -2], 15, '#414750');
  g.fillStyle = coat;
  g.beginPath();
  g.roundRect(-19, -126, 38, 72, 14);
  g.fill();
  g.fillStyle = 'rgba(0,0,0,.16)';
  g.beginPath();
  g.roundRect(-19, -126, 13, 72, [14, 0, 0, 14]);
  g.fill();
  if (holdingLine) {
    limb([6, -114], [26, -120], [38, -142], 12, coat);
    limb([10, -112], [30, -112], [40, -132], 12, coat);
  } else {
    limb([0, -114], [10 * stride + 6, -90], [18 * stride + 6, -72], 11, coat);
  }
  g.fillStyle = paint.skin1;
  ellipse(g, 2, -146, 15, 18);
  g.fill();
  g.fillStyle = '#3a2c22';
  ellipse(g, -2, -153, 15, 13);
  g.fill();
  g.restore();
}

/** How somebody looks. */
export interface Looks {
  skin: string;
  shade: string;
  hair: string;
  coat: string;
  coatDark: string;
  shirt: string;
  hairstyle: 'bob' | 'short';
  glasses?: boolean;
}

/** The kite maker, filmed by the first camera. */
export const maker: Looks = {
  skin: paint.skin1,
  shade: paint.skin1Dark,
  hair: '#3a2a20',
  coat: '#37526b',
  coatDark: '#28405a',
  shirt: '#e9e2d0',
  hairstyle: 'bob',
};
/** The harbour warden, filmed by the second. */
export const warden: Looks = {
  skin: paint.skin2,
  shade: paint.skin2Dark,
  hair: '#8f8a82',
  coat: '#8a4a3d',
  coatDark: '#6f382d',
  shirt: '#d9dde0',
  hairstyle: 'short',
  glasses: true,
};

/**
 * Somebody being interviewed, chest up.
 *
 * @param speak how far the mouth is open, 0 to 1
 * @param look where the eyes go: -1 left, 1 right
 */
export function portrait(
  g: Pen,
  x: number,
  y: number,
  size: number,
  who: Looks,
  t: number,
  speak: number,
  look: number,
): void {
  const nod = Math.sin(t * 1.7) * 5 + speak * 5;
  const turn = Math.sin(t * 0.9) * 6;
  g.save();
  g.translate(x, y);
  g.scale(size, size);

  // Shoulders breathe a little.
  const breath = Math.sin(t * 1.3) * 3;
  g.fillStyle = gradient(g, 120, 620, [
    [0, who.coat],
    [1, who.coatDark],
  ]);
  g.beginPath();
  g.moveTo(-262, 640);
  g.bezierCurveTo(-256, 330 + breath, -190, 238 + breath, -84, 214 + breath);
  g.lineTo(84, 214 + breath);
  g.bezierCurveTo(190, 238 + breath, 256, 330 + breath, 262, 640);
  g.closePath();
  g.fill();
  g.fillStyle = who.shirt;
  g.beginPath();
  g.moveTo(-58, 206 + breath);
  g.lineTo(0, 330 + breath);
  g.lineTo(58, 206 + breath);
  g.closePath();
  g.fill();
  // Neck, with the chin's shadow on it.
  g.fillStyle = gradient(g, 80, 230, [
    [0, who.shade],
    [1, who.skin],
  ]);
  g.beginPath();
  g.moveTo(-46, 70);
  g.lineTo(46, 70);
  g.lineTo(54, 214 + breath);
  g.quadraticCurveTo(0, 256 + breath, -54, 214 + breath);
  g.closePath();
  g.fill();
  // Collar.
  g.fillStyle = who.coatDark;
  for (const side of [-1, 1]) {
    g.beginPath();
    g.moveTo(side * 54, 196 + breath);
    g.lineTo(side * 118, 224 + breath);
    g.lineTo(side * 34, 392 + breath);
    g.lineTo(side * 6, 326 + breath);
    g.closePath();
    g.fill();
  }
  g.strokeStyle = 'rgba(0,0,0,.3)';
  g.lineWidth = 4;
  g.beginPath();
  g.moveTo(0, 335 + breath);
  g.lineTo(0, 640);
  g.stroke();

  g.translate(turn * 0.5, nod + 26);
  // Hair behind the head.
  g.fillStyle = who.hair;
  if (who.hairstyle === 'bob') {
    g.beginPath();
    g.moveTo(-122, -20);
    g.bezierCurveTo(-146, -190, 146, -190, 122, -20);
    g.bezierCurveTo(134, 60, 128, 104, 106, 122);
    g.lineTo(-106, 122);
    g.bezierCurveTo(-128, 104, -134, 60, -122, -20);
    g.fill();
  } else {
    ellipse(g, 0, -46, 112, 96);
    g.fill();
  }
  // Ears and face.
  g.fillStyle = who.shade;
  for (const side of [-1, 1]) {
    ellipse(g, side * 100, 8, 19, 30);
    g.fill();
  }
  g.fillStyle = gradient(
    g,
    0,
    0,
    [
      [0, who.skin],
      [0.62, who.skin],
      [1, who.shade],
    ],
    -100,
    130,
  );
  g.beginPath();
  g.moveTo(-96, -30);
  g.bezierCurveTo(-100, -136, 100, -136, 96, -30);
  g.bezierCurveTo(98, 52, 62, 122 + speak * 10, 0, 126 + speak * 12);
  g.bezierCurveTo(-62, 122 + speak * 10, -98, 52, -96, -30);
  g.fill();
  g.fillStyle = 'rgba(205,92,70,.16)';
  for (const side of [-1, 1]) {
    ellipse(g, side * 54 + turn, 44, 25, 17);
    g.fill();
  }
  // Fringe or short hair over the forehead.
  g.fillStyle = who.hair;
  g.beginPath();
  if (who.hairstyle === 'bob') {
    g.moveTo(-108, 26);
    g.bezierCurveTo(-118, -150, 96, -176, 108, 22);
    g.bezierCurveTo(96, -34, 76, -62, 40, -74);
    g.bezierCurveTo(0, -52, -70, -60, -86, -26);
    g.bezierCurveTo(-96, -10, -100, 6, -108, 26);
  } else {
    g.moveTo(-102, -14);
    g.bezierCurveTo(-112, -150, 112, -150, 102, -14);
    g.bezierCurveTo(92, -62, 62, -84, 20, -82);
    g.bezierCurveTo(-30, -88, -84, -66, -102, -14);
  }
  g.fill();
  g.strokeStyle = 'rgba(255,255,255,.09)';
  g.lineWidth = 4;
  for (let i = -3; i <= 3; i++) {
    g.beginPath();
    g.moveTo(i * 10, -128 + Math.abs(i) * 4);
    g.quadraticCurveTo(i * 26, -112, i * 30, -84 + Math.abs(i) * 5);
    g.stroke();
  }
  // Eyes: they blink now and then, and look where they are told.
  const blink = t % 3.7 < 0.14 ? 0.12 : 1;
  for (const side of [-1, 1]) {
    const ex = side * 37 + turn;
    g.fillStyle = '#fbf7f0';
    ellipse(g, ex, -8, 17, 11.5 * blink);
    g.fill();
    if (blink === 1) {
      g.fillStyle = who.hairstyle === 'bob' ? '#4b3524' : '#3d5a66';
      ellipse(g, ex + look * 5, -8, 9.4, 9.4);
      g.fill();
      g.fillStyle = '#16110e';
      ellipse(g, ex + look * 5, -8, 4.8, 4.8);
      g.fill();
      g.fillStyle = 'rgba(255,255,255,.9)';
      ellipse(g, ex + look * 5 + 3, -12, 2.6, 2.6);
      g.fill();
    }
    g.strokeStyle = '#2a1d16';
    g.lineWidth = 4.5;
    g.lineCap = 'round';
    curve(g, [
      [ex - 18, -10],
      [ex, -21 * (blink < 1 ? 0.4 : 1)],
      [ex + 18, -10],
    ]);
    g.stroke();
    g.strokeStyle = who.hair;
    g.lineWidth = 8;
    curve(g, [
      [ex - 21, -36 - speak * 4],
      [ex, -45 - speak * 5],
      [ex + 21, -35 - speak * 4],
    ]);
    g.stroke();
  }
  if (who.glasses) {
    g.strokeStyle = '#40352c';
    g.lineWidth = 5;
    for (const side of [-1, 1]) {
      g.beginPath();
      g.roundRect(side * 37 + turn - 27, -29, 54, 42, 17);
      g.stroke();
    }
    g.beginPath();
    g.moveTo(-10 + turn, -12);
    g.quadraticCurveTo(turn, -18, 10 + turn, -12);
    g.stroke();
  }
  g.strokeStyle = who.shade;
  g.lineWidth = 6;
  curve(g, [
    [turn * 1.4 + 2, 2],
    [turn * 1.4 + 15, 34],
    [turn * 1.4 - 8, 39],
  ]);
  g.stroke();
  // Mouth.
  const mx = turn * 1.2;
  const open = speak * 19;
  g.fillStyle = '#5b1f1c';
  g.beginPath();
  g.moveTo(mx - 31, 68);
  g.quadraticCurveTo(mx, 62 - open * 0.12, mx + 31, 68);
  g.quadraticCurveTo(mx, 79 + open * 1.7, mx - 31, 68);
  g.fill();
  if (open > 5) {
    g.fillStyle = '#f6f0e6';
    g.beginPath();
    g.roundRect(mx - 19, 67, 38, Math.min(8, open * 0.5), 3);
    g.fill();
  }
  g.strokeStyle = '#a95b4d';
  g.lineWidth = 5;
  curve(g, [
    [mx - 33, 66],
    [mx - 8, 63],
    [mx, 66],
    [mx + 8, 63],
    [mx + 33, 66],
  ]);
  g.stroke();
  g.restore();
}

/** A hand with fingers, palm towards us. */
export function hand(
  g: Pen,
  x: number,
  y: number,
  size: number,
  turn: number,
  skin: string,
  shade: string,
  curl = 0,
): void {
  g.save();
  g.translate(x, y);
  g.rotate(turn);
  g.scale(size, size);
  g.lineCap = 'round';
  g.lineJoin = 'round';
  const finger = (from: [number, number], mid: [number, number], tip: [number, number], width: number) => {
    for (const [colour, w] of [
      [shade, width + 4],
      [skin, width],
    ] as const) {
      g.strokeStyle = colour;
      g.lineWidth = w;
      curve(g, [from, mid, tip]);
      g.stroke();
    }
  };
  const c = curl * 42;
  finger([-34, -30], [-46, -84 + c * 0.5], [-48 + c * 0.5, -112 + c], 23);
  finger([-11, -38], [-15, -102 + c * 0.5], [-14 + c * 0.5, -138 + c], 24);
  finger([13, -38], [16, -98 + c * 0.5], [19 + c * 0.4, -132 + c], 24);
  finger([35, -28], [46, -76 + c * 0.5], [52 + c * 0.2, -102 + c], 21);
  g.fillStyle = shade;
  ellipse(g, 0, 6, 56, 62);
  g.fill();
  g.fillStyle = skin;
  ellipse(g, 0, 3, 53, 58);
  g.fill();
  finger([40, 26], [74, 0], [88, -30 + c * 0.4], 25);
  g.strokeStyle = shade;
  g.lineWidth = 3;
  curve(g, [
    [-32, 8],
    [-4, 20],
    [30, -6],
  ]);
  g.stroke();
  g.restore();
}
