import { parseArgs } from 'node:util';
import { isRendered, renderShot } from './render.ts';
import { scaled } from './shot.ts';
import { SHOTS } from './shots/index.ts';

// usage: node dist/demo/main.js --out FOLDER [--shot NAME] [--scale 0.25] [--frames N]
const { values } = parseArgs({
  options: { out: { type: 'string' }, shot: { type: 'string' }, scale: { type: 'string' }, frames: { type: 'string' } },
});
if (!values.out) throw new Error('--out FOLDER is missing');
for (const shot of SHOTS.filter((s) => !values.shot || s.name === values.shot)) {
  const recipe =
    values.scale || values.frames ? scaled(shot, Number(values.scale ?? 1), Number(values.frames ?? 1e6)) : shot;
  if (isRendered(values.out, recipe, false)) continue;
  await renderShot(recipe, values.out, false, (done) =>
    process.stderr.write(`\r${shot.name} ${Math.floor(done * 100)} % `),
  );
  process.stderr.write('\n');
}
