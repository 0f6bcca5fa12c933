// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Reads Collada files by the loader of three.js in headless Chromium: collada.mjs FILE.dae...
// Prints a line a file: triangles, their area in square metres, the sum of u + 2 v over their corners,
// and the box of the scene.
import {openBrowser} from './browser.mjs';
import {serve} from './serve.mjs';

const files = process.argv.slice(2);
const {server, address} = await serve(files);
const browser = await openBrowser();
try {
  const page = await browser.newPage();
  await page.goto(`${address}/judges/collada.html`);
  await page.waitForFunction('window.ready', null, {timeout: 60000});
  for (const number of files.keys()) {
    const {triangles, area, uvs, box} = await page.evaluate((n) => window.measure(n), number);
    console.log(triangles, area, uvs, box.min.x, box.min.y, box.min.z, box.max.x, box.max.y, box.max.z);
  }
} finally {
  await browser.close();
  server.close();
}
