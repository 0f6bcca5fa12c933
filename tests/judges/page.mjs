// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Opens a report page in headless Chromium and uses it: page.mjs PAGE.html SEARCH
// Prints one JSON object with what it found.
import {pathToFileURL} from 'node:url';
import {openBrowser} from './browser.mjs';

const [file, search] = process.argv.slice(2);
const browser = await openBrowser();
const found = {problems: [], requests: []};
try {
  const page = await browser.newPage({viewport: {width: 1280, height: 800}});
  page.on('console', (message) => ['error', 'warning'].includes(message.type()) && found.problems.push(message.text()));
  page.on('pageerror', (error) => found.problems.push(error.message));
  page.on('dialog', (dialog) => { found.problems.push(`dialog: ${dialog.message()}`); dialog.dismiss(); });
  page.on('request', (request) => request.url().startsWith('data:') || found.requests.push(request.url()));
  await page.goto(pathToFileURL(file).href);
  await page.waitForLoadState('load');
  found.title = await page.title();
  found.verdict = await page.textContent('#verdict');
  found.headline = await page.textContent('#headline');
  found.wide = await page.evaluate(() => document.documentElement.scrollWidth);
  // A chart that was drawn has pixels.
  found.charts = await page.evaluate(() => [...document.querySelectorAll('canvas')].map((canvas) => {
    const {data} = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
    return data.some((value) => value > 0);
  }));
  const draws = () => page.$$eval('#groups tbody tr', (rows) => rows.map((row) => Number(row.children[3].textContent.replace(/,/g, ''))));
  found.rows = (await draws()).length;
  found.down = await draws();
  await page.click('#groups th:nth-child(4) button');
  found.up = await draws();
  found.sorted = await page.getAttribute('#groups th:nth-child(4)', 'aria-sort');
  await page.fill('#groups input', search);
  found.hits = await page.$$eval('#groups tbody tr', (rows) => rows.map((row) => row.children[0].textContent));
  found.count = await page.textContent('#groups .count');
  await page.fill('#groups input', 'nothing is called this');
  found.none = (await draws()).length;
  // By keyboard alone: the slider moves the edge between the pictures.
  found.views = await page.$$eval('#view option', (options) => options.length);
  if (found.views > 0) {
    const edge = () => page.evaluate(() => document.getElementById('edge').style.left);
    await page.focus('#slide');
    const before = await edge();
    await page.keyboard.press('ArrowRight');
    found.slides = before !== await edge();
    await page.check('#modes input[value=heat]');
    found.heat = await page.evaluate(() => document.getElementById('pair').classList.contains('single'));
  }
  found.lightmapPictures = await page.$$eval('.lightmaps image', (images) => images.length);
  found.movedRectangles = await page.$$eval('.lightmaps .moved', (rectangles) => rectangles.length);
  if (found.movedRectangles > 0) {
    await page.hover('.lightmaps .moved');
    found.pointedAt = await page.$$eval('.lightmaps .moved.on', (rectangles) => rectangles.length);
  }
  const ground = () => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
  const light = await ground();
  await page.click('#theme');
  found.turnsDark = light !== await ground();
  found.broken = await page.$$eval('img', (images) => images.filter((i) => i.getAttribute('src') && i.naturalWidth === 0).length);
} finally {
  await browser.close();
}
console.log(JSON.stringify(found));
