// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Draws glTF files by three.js in headless Chromium, from views, or by Babylon.js:
//   engine.mjs VIEWS.json WIDTH OUT_FOLDER [--babylon] [--lit] [--times=0.5,1] SCENE.glb...
// Prints a line a view and scene, `CALLS TRIANGLES WIDTH HEIGHT`, counted by the renderer, and writes
// OUT_FOLDER/SHOT_SCENE.rgba: rows from the top, four bytes a pixel. Objects are culled by their
// boxes, where the renderer itself takes spheres. With --lit they are lit by their lightmap pages:
// images of the file, or PNGs beside it or beside the first. With --times each view is drawn at these
// seconds of the animations, one after the other.
import {readFile, writeFile} from 'node:fs/promises';
import {join} from 'node:path';
import {openBrowser} from './browser.mjs';
import {serve} from './serve.mjs';

const lit = process.argv.includes('--lit');
const timesOption = process.argv.find((word) => word.startsWith('--times='));
const times = timesOption ? timesOption.slice('--times='.length).split(',').map(Number) : [null];
const [viewsFile, width, out, ...scenes] = process.argv.slice(2).filter((word) => !word.startsWith('--'));
const {server, address} = await serve(scenes);
const browser = await openBrowser();
try {
  const page = await browser.newPage();
  const problems = [];
  page.on('pageerror', (error) => problems.push(error.message));
  await page.goto(`${address}/judges/${process.argv.includes('--babylon') ? 'babylon' : 'engine'}.html`);
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
