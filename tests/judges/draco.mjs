// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Takes a compressed mesh apart with the decoder that three.js ships:
//   draco.mjs FILE.drc ID...
// Prints its indices, then the floats of each attribute of these numbers, a line of hex each.
import {readFileSync} from 'node:fs';
import {createRequire} from 'node:module';
import {dirname} from 'node:path';

// The package says that its files are modules; this one is a plain script.
const require = createRequire(import.meta.url);
const script = require.resolve('three/examples/jsm/libs/draco/gltf/draco_decoder.js');
const module = {exports: {}};
new Function('module', 'exports', 'require', '__filename', '__dirname',
             readFileSync(script, 'utf8'))(
  module, module.exports, require, script, dirname(script));
const draco = await module.exports();
const [file, ...ids] = process.argv.slice(2);
const bytes = readFileSync(file);
const decoder = new draco.Decoder();
const mesh = new draco.Mesh();
const status = decoder.DecodeArrayToMesh(new Int8Array(bytes), bytes.length, mesh);
if (!status.ok()) {
  throw new Error(status.error_msg());
}
const print = (type, count, fill) => {
  const size = count * 4;
  const at = draco._malloc(size);
  fill(size, at);
  console.log(Buffer.from(draco.HEAPU8.slice(at, at + size)).toString('hex'));
  draco._free(at);
};
print('index', mesh.num_faces() * 3,
      (size, at) => decoder.GetTrianglesUInt32Array(mesh, size, at));
for (const id of ids) {
  const attribute = decoder.GetAttributeByUniqueId(mesh, Number(id));
  print('float', mesh.num_points() * attribute.num_components(),
        (size, at) => decoder.GetAttributeDataArrayForAllPoints(mesh, attribute, draco.DT_FLOAT32,
                                                                size, at));
}
