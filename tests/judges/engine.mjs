// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Draws glTF files by three.js in headless Chromium, from views:
//   engine.mjs VIEWS.json WIDTH OUT_FOLDER [--lit] [--times=0.5,1] SCENE.glb...
// Prints a line a view and scene, `CALLS TRIANGLES WIDTH HEIGHT`, counted by the renderer, and writes
// OUT_FOLDER/SHOT_SCENE.rgba: rows from the top, four bytes a pixel. Objects are culled by their
// boxes, where the renderer itself takes spheres. With --lit they are lit by their lightmap pages:
// images of the file, or PNGs beside it or beside the first. With --times each view is drawn at these
// seconds of the animations, one after the other.
import {createServer} from 'node:http';
import {readFile, writeFile} from 'node:fs/promises';
import {dirname, extname, join} from 'node:path';
import {fileURLToPath} from 'node:url';
import {openBrowser} from './browser.mjs';

const here = dirname(fileURLToPath(import.meta.url));
const lit = process.argv.includes('--lit');
const timesOption = process.argv.find((word) => word.startsWith('--times='));
const times = timesOption ? timesOption.slice('--times='.length).split(',').map(Number) : [null];
const [viewsFile, width, out, ...scenes] = process.argv.slice(2).filter((word) => !word.startsWith('--'));
const types = {'.html': 'text/html', '.mjs': 'text/javascript', '.js': 'text/javascript', '.wasm': 'application/wasm'};
const folders = {
  '/three/': join(here, 'node_modules/three'),
  '/layers/': join(here, '../../docs/formats/texture_layers'),
  '/places/': join(here, '../../docs/formats/lightmap_places'),
  '/judges/': here,
};
for (const [number, scene] of scenes.entries()) {
  folders[`/beside/${number}/`] = dirname(scene);
}
const server = createServer(async (request, response) => {
  const path = decodeURIComponent(request.url.split('?')[0]);
  const root = Object.keys(folders).find((name) => path.startsWith(name));
  const scene = path.match(/^\/scene\/(\d+)$/);
  const file = scene ? scenes[Number(scene[1])] : root && join(folders[root], path.slice(root.length));
  try {
    const body = await readFile(file);
    response.writeHead(200, {'content-type': types[extname(file)] ?? 'application/octet-stream'});
    response.end(body);
  } catch {
    response.writeHead(404);
    response.end();
  }
});
await new Promise((ready) => server.listen(0, '127.0.0.1', ready));
const browser = await openBrowser();
try {
  const page = await browser.newPage();
  const problems = [];
  page.on('pageerror', (error) => problems.push(error.message));
  await page.goto(`http://127.0.0.1:${server.address().port}/judges/engine.html`);
  await page.waitForFunction('window.ready', null, {timeout: 60000});
  const {views} = JSON.parse(await readFile(viewsFile, 'utf8'));
  for (let scene = 0; scene < scenes.length; ++scene) {
    let number = 0;
    for (const view of views) {
      for (const time of times) {
        const shot = await page.evaluate(([s, v, w, l, t]) => window.draw(s, v, w, l, t),
                                         [scene, view, Number(width), lit, time]);
        await writeFile(join(out, `${number}_${scene}.rgba`), Buffer.from(shot.pixels, 'base64'));
        console.log(shot.calls, shot.triangles, shot.width, shot.height);
        ++number;
      }
    }
  }
  if (problems.length > 0) {
    throw new Error(problems.join('\n'));
  }
} finally {
  await browser.close();
  server.close();
}
