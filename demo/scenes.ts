/**
 * What the made-up films show: six scenes of a harbour, each drawn once by formula on a still that is wider than the picture, and
 * moved by cheap filters. `seed` changes hour, colours and the way the camera goes, so that no two shots are alike.
 */

export interface Scene {
  readonly id: string;
  /** Colours of a point of the still, as expressions of FFmpeg's `geq`: red, green, blue. */
  readonly paint: (seed: number) => readonly [string, string, string];
  /** What moves in the picture, as a chain of filters; empty where only the camera does. `t` counts from the shot's beginning. */
  readonly move: (seed: number, width: number, height: number) => string;
}

const FONT = '/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf';
const BOLD = '/usr/share/fonts/truetype/dejavu/DejaVuSans-Bold.ttf';

/** A number from 0 to 1 for each cell of a grid: the same in every build. */
const dice = (x: string, y: string, seed: number): string => `abs(mod(sin((${x})*12.9898+(${y})*78.233+${seed})*43758.5,1))`;
const choose = (condition: string, yes: string, no: string): string => `if(${condition},${yes},${no})`;
const box = (x: string, y: number, w: number, h: number, color: string): string =>
  `drawbox=x='${x}':y=${Math.round(y)}:w=${Math.round(w)}:h=${Math.round(h)}:color=${color}:t=fill`;

const harbour: Scene = {
  id: 'harbour at night',
  paint: (seed) => {
    const horizon = `(0.5+0.04*${seed % 3})*H`;
    const quay = `lt(Y,${horizon})*gt(Y,${horizon}-H*(0.08+0.16*${dice('floor(X/46)', '3', seed)}))`;
    const lamp = `gt(${dice('floor(X/9)', 'floor(Y/11)', seed)},0.82)*lt(mod(X,9),5)*lt(mod(Y,11),7)`;
    const moon = `lt(hypot(X-W*${0.2 + 0.15 * (seed % 5)},Y-H*0.17),H*0.05)`;
    const water = `(14+26*abs(sin(X/19+Y/5))*${dice('floor(X/30)', '1', seed)}*gt(Y,${horizon}))`;
    const night = 18 + ((seed * 13) % 30);
    const of = (sky: string, house: string, light: string, sea: string) =>
      choose(moon, '236', choose(quay, choose(lamp, light, house), choose(`lt(Y,${horizon})`, sky, sea)));
    return [
      of(`${night}*Y/H`, '26', '246', `8+2*${water}`),
      of(`${night}*0.9*Y/H+8`, '24', '206', `18+1.5*${water}`),
      of(`${night}+40*Y/H`, '34', '118', `38+0.6*${water}`),
    ];
  },
  move: (seed, w, h) =>
    [
      box(`mod(t*${34 + 9 * (seed % 4)}+${(seed * 97) % w},${w + 90})-90`, h * 0.64, w * 0.1, h * 0.02, '0x0d1114'),
      box(`mod(t*${34 + 9 * (seed % 4)}+${(seed * 97) % w},${w + 90})-56`, h * 0.6, 5, 5, '0xffe08a'),
    ].join(','),
};

const market: Scene = {
  id: 'fish market',
  paint: (seed) => {
    const awning = `lt(Y,H*0.3+9*sin(X/34))`;
    const stripe = `lt(mod(X+${seed * 11},68),34)`;
    const shadow = `lt(Y,H*0.36)`;
    const pick = dice('floor(X/58)', 'floor(Y/44)', seed);
    const fish = `lt(hypot((mod(X,29)-14)/13,(mod(Y+9*floor(X/29),22)-11)/6),1)`;
    const rim = `gt(mod(X,58),54)+gt(mod(Y,44),40)`;
    const of = (red: string, white: string, crate: string, silver: string) =>
      choose(awning, choose(stripe, red, white), choose(shadow, '38', choose(rim, '70', choose(fish, silver, crate))));
    return [
      of('176', '232', `120+70*${pick}`, `150+90*${pick}`),
      of(`${40 + (seed % 4) * 22}`, '226', `96+50*${pick}`, `160+80*${pick}`),
      of(`${52 + (seed % 3) * 40}`, '210', `70+30*${pick}`, `170+70*${pick}`),
    ];
  },
  move: (seed, w, h) =>
    `drawtext=fontfile=${BOLD}:text='${['HERRING', 'COD AND LING', 'OYSTERS', 'SMOKED EEL'][seed % 4] ?? ''}':x='${w * 0.2}+${w * 0.1}*sin(t/3)':y=${Math.round(h * 0.31)}:fontsize=${Math.round(h / 14)}:fontcolor=0xf2ead4:box=1:boxcolor=0x203a3a:boxborderw=8`,
};

const ropewalk: Scene = {
  id: 'rope walk',
  paint: (seed) => {
    const [x, y] = [`(X-W*${0.42 + 0.05 * (seed % 4)})`, '(Y-H*0.44)'];
    const angle = `atan2(${y},${x})`;
    const depth = `log(6+hypot(${x},${y}))`;
    const plank = `lt(mod(${angle}*14+9,1),0.1)`;
    const beam = `lt(mod(${depth}*5,1),0.16)*lt(${y},0)`;
    const rope = `lt(abs(mod(${angle}*7+3,1)-0.5),0.05)*gt(${y},0)`;
    const lit = `${depth}*${26 + (seed % 3) * 5}`;
    const of = (wood: number, hemp: string) =>
      choose(rope, hemp, choose(beam, '30', choose(plank, '44', `min(220,${lit}*${wood}+10*sin(Y/3+X/41))`)));
    return [of(1.1, '208'), of(0.86, '182'), of(0.58, '128')];
  },
  move: (seed, w, h) =>
    [
      box(`${w * 0.2}+mod(t*${22 + 6 * (seed % 3)},${Math.round(w * 0.6)})`, h * 0.62, w * 0.05, h * 0.09, '0x4a2e1a'),
      box(`${w * 0.2}+mod(t*${22 + 6 * (seed % 3)},${Math.round(w * 0.6)})`, h * 0.71, w * 0.012, h * 0.02, '0x16110c'),
    ].join(','),
};

const storm: Scene = {
  id: 'storm',
  paint: (seed) => {
    const cloud = `(sin(X/67+${seed})+sin(X/29+Y/23)*0.6+sin((X+2*Y)/41)*0.7)`;
    const horizon = `(0.58*H+7*sin(X/47+${seed}))`;
    const wave = `(sin(X/23+Y/3)+sin(X/61-Y/5))`;
    const tower = `lt(abs(X-W*${0.3 + 0.1 * (seed % 5)}),9+Y/50)*gt(Y,H*0.24)*lt(Y,${horizon}+14)`;
    const lamp = `lt(hypot(X-W*${0.3 + 0.1 * (seed % 5)},Y-H*0.22),13)`;
    const band = `lt(mod(Y,64),32)`;
    const of = (air: string, sea: string, red: string, glow: string) =>
      choose(lamp, glow, choose(tower, choose(band, '214', red), choose(`lt(Y,${horizon})`, air, sea)));
    return [
      of(`64+15*${cloud}`, `30+11*${wave}`, '150', '255'),
      of(`72+16*${cloud}`, `56+13*${wave}`, '44', '238'),
      of(`84+17*${cloud}`, `62+13*${wave}`, '36', '170'),
    ];
  },
  // Lightning, and a boat that is tossed about.
  move: (seed, w, h) => {
    const x = `mod(t*${16 + 5 * (seed % 4)}+${(seed * 71) % w},${Math.round(w * 1.2)})-${Math.round(w * 0.1)}`;
    const hull = (dx: number, y: number, wide: number, high: number, color: string) =>
      `drawbox=x='${x}+${Math.round(dx)}':y='${Math.round(y)}+${Math.round(h / 60)}*sin(t*2.1)':w=${Math.round(wide)}:h=${Math.round(high)}:color=${color}:t=fill`;
    return [
      `eq=eval=frame:brightness='if(lt(mod(n+${seed * 17},${110 + 20 * (seed % 4)}),3),0.28,0.02*sin(n/9))'`,
      hull(0, h * 0.68, w * 0.12, h * 0.035, '0x14100e'),
      hull(w * 0.05, h * 0.57, w * 0.008, h * 0.11, '0x241c16'),
    ].join(',');
  },
};

const workshop: Scene = {
  id: 'workshop',
  paint: (seed) => {
    const bench = `gt(Y,H*0.68)`;
    const grain = `(9*sin(Y/2.5+4*sin(X/90))+6*sin(X/140))`;
    const peg = `lt(hypot(mod(X,24)-12,mod(Y,24)-12),2.2)`;
    const [cx, cy] = [`(X-W*${0.32 + 0.12 * (seed % 4)})`, '(Y-H*0.4)'];
    const ring = `lt(abs(hypot(${cx},${cy})-H*0.22),8)`;
    const spoke = `lt(hypot(${cx},${cy}),H*0.22)*lt(abs(mod(atan2(${cy},${cx})*8/6.2832+8,1)-0.5),0.05)`;
    const tool = `gt(${dice('floor(X/52)', '7', seed)},0.5)*lt(abs(mod(X,52)-26),4)*gt(Y,H*0.1)*lt(Y,H*(0.22+0.14*${dice('floor(X/52)', '2', seed)}))`;
    const of = (wood: number, wall: number, iron: string) =>
      choose(`${ring}+${spoke}`, `${wood}*0.6`, choose(bench, `${wood}+${grain}`, choose(tool, iron, choose(peg, '40', `${wall}-Y/9`))));
    return [of(168, 150 + (seed % 3) * 14, '86'), of(122, 152, '92'), of(78, 128 + (seed % 4) * 12, '98')];
  },
  move: (seed, w, h) =>
    [
      box(`${w * 0.1}+${Math.round(w * 0.7)}*abs(mod(t/${3 + (seed % 3)},2)-1)`, h * 0.64, w * 0.12, h * 0.05, '0x6a6f72'),
      box(`${w * 0.115}+${Math.round(w * 0.7)}*abs(mod(t/${3 + (seed % 3)},2)-1)`, h * 0.6, w * 0.02, h * 0.05, '0x3a2414'),
    ].join(','),
};

const chart: Scene = {
  id: 'chart with a route',
  paint: (seed) => {
    const coast = `(sin(X/83+${seed})+0.7*sin(Y/57+${seed * 2})+0.5*sin((X+Y)/37)+0.3*sin((X-Y)/19))`;
    const land = `gt(${coast},0.72)`;
    const shore = `gt(${coast},0.6)`;
    const grid = `lt(mod(X+17,70),1.6)+lt(mod(Y+9,70),1.6)`;
    const of = (earth: number, edge: number, sea: number) =>
      `if(${grid},${sea}*0.82,if(${land},${earth}+6*sin(X/7+Y/9),if(${shore},${edge},${sea}+3*sin(X/5)*sin(Y/5))))`;
    return [of(206, 150, 214 - (seed % 3) * 8), of(186, 158, 222), of(132, 140, 206 + (seed % 4) * 6)];
  },
  move: (seed, w, h) => {
    const [stepX, speed] = [w * 0.15, w * 0.11];
    const legSeconds = stepX / speed;
    const y = (i: number) => Math.round(h * (0.3 + 0.08 * ((seed + i * i) % 6)));
    const route = Array.from({ length: 5 }, (_, i) => {
      const [at, x] = [i * legSeconds, Math.round(w * 0.12 + i * stepX)];
      const along = `drawbox=x=${x}:y=${y(i)}:w='min(${Math.round(stepX)},max(4,(t-${at.toFixed(2)})*${Math.round(speed)}))':h=4`;
      const across = `drawbox=x=${Math.round(x + stepX)}:y=${Math.min(y(i), y(i + 1))}:w=4:h=${Math.abs(y(i) - y(i + 1)) + 4}`;
      const ink = (from: number) => `:color=0x9c2f22:t=fill:enable='gte(t,${from.toFixed(2)})'`;
      return `${along}${ink(at)},${across}${ink(at + legSeconds)}`;
    });
    const miles = `text='%{eif\\:${4 + (seed % 5)}+t*1.7\\:d} miles':x=${Math.round(w * 0.7)}:y=${Math.round(h * 0.1)}`;
    return [...route, `drawtext=fontfile=${FONT}:${miles}:fontsize=${Math.round(h / 20)}:fontcolor=0x3a2a20`].join(',');
  },
};

export const SCENES: readonly Scene[] = [harbour, market, ropewalk, storm, workshop, chart];

/** The scene of a shot, and its seed: shots that follow each other show something else. */
export const sceneOf = (seed: number): Scene => SCENES[((seed % SCENES.length) + SCENES.length) % SCENES.length] ?? harbour;

/** A still of a scene, drawn at half its size: a source and filters for FFmpeg's `lavfi`, with the grain of a photograph. */
export function stillOf(seed: number, width: number, height: number): string {
  const [r, g, b] = sceneOf(seed).paint(seed);
  const [w, h] = [2 * Math.round(width / 4), 2 * Math.round(height / 4)];
  return (
    `color=black:s=${w}x${h}:d=0.04:r=25,format=gbrp,geq=r='${r}':g='${g}':b='${b}',` +
    `scale=${width}:${height}:flags=bicubic,noise=alls=7:all_seed=${seed + 1}`
  );
}

/** How the camera goes over a still that is wider than the picture: along it, slower or faster, from either side. */
export function cameraOf(seed: number, width: number, height: number): string {
  const pace = 70 + 15 * (seed % 4);
  return `crop=${width}:${height}:'(iw-ow)/2*(1${seed % 2 === 0 ? '+' : '-'}sin(n/${pace}))':0`;
}
