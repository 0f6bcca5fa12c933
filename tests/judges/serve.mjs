// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
import {createServer} from 'node:http';
import {readFile} from 'node:fs/promises';
import {dirname, extname, join} from 'node:path';
import {fileURLToPath} from 'node:url';

const here = dirname(fileURLToPath(import.meta.url));
const types = {'.html': 'text/html', '.mjs': 'text/javascript', '.js': 'text/javascript', '.wasm': 'application/wasm'};
const common = {
  '/three/': join(here, 'node_modules/three'),
  '/babylon/': join(here, 'node_modules/babylonjs'),
  '/babylon-loaders/': join(here, 'node_modules/babylonjs-loaders'),
  '/layers/': join(here, '../../docs/formats/texture_layers'),
  '/places/': join(here, '../../docs/formats/lightmap_places'),
  '/judges/': here,
};

/// Serves the engines, this folder and scenes on a port of its own: scene N is /scene/N, what lies
/// beside it /beside/N/....
export const serve = async (scenes) => {
  const folders = {...common};
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
  return {server, address: `http://127.0.0.1:${server.address().port}`};
};
