// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Unpacks streams of EXT_meshopt_compression with the decoder that three.js ships:
//   packed.mjs CASES.txt
// Each line of the file is `MODE FILTER STRIDE COUNT HEX`; prints the elements of each in hex,
// or `error` where they can't be unpacked.
import {readFileSync} from 'node:fs';
import {MeshoptDecoder} from 'three/examples/jsm/libs/meshopt_decoder.module.js';

await MeshoptDecoder.ready;
for (const line of readFileSync(process.argv[2], 'utf8').split('\n')) {
  if (line === '') {
    continue;
  }
  const [mode, filter, stride, count, packed] = line.split(' ');
  const elements = new Uint8Array(Number(stride) * Number(count));
  try {
    MeshoptDecoder.decodeGltfBuffer(elements, Number(count), Number(stride),
                                    new Uint8Array(Buffer.from(packed, 'hex')), mode, filter);
    console.log(Buffer.from(elements).toString('hex'));
  } catch {
    console.log('error');
  }
}
