// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// The reference method's own code, as three.js ships it: tangents.mjs CORNERS.json prints the
// tangents of corners, four a corner, as glTF stores them. CORNERS has positions, normals and uvs.
import {readFileSync} from 'node:fs';
import * as MikkTSpace from 'three/examples/jsm/libs/mikktspace.module.js';

await MikkTSpace.ready;
const corners = JSON.parse(readFileSync(process.argv[2], 'utf8'));
const tangents = MikkTSpace.generateTangents(
    new Float32Array(corners.positions), new Float32Array(corners.normals),
    new Float32Array(corners.uvs));
// Its textures begin at the bottom, those of glTF at the top.
for (let i = 3; i < tangents.length; i += 4) {
  tangents[i] *= -1;
}
console.log(Array.from(tangents).join(' '));
