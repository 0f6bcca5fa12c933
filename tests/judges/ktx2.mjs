// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Takes KTX 2.0 files apart with somebody else's parser and decoder, and writes what is in them: one
// line of JSON a file, each level with its bytes in base64.
import { readFileSync } from 'node:fs';
import { read } from 'three/examples/jsm/libs/ktx-parse.module.js';
import { ZSTDDecoder } from 'three/examples/jsm/libs/zstddec.module.js';

const zstd = new ZSTDDecoder();
await zstd.init();
for (const file of process.argv.slice(2)) {
  const container = read(new Uint8Array(readFileSync(file)));
  const levels = container.levels.map((level) => {
    const bytes = container.supercompressionScheme === 2
      ? zstd.decode(level.levelData, level.uncompressedByteLength)
      : level.levelData;
    if (bytes.byteLength !== level.uncompressedByteLength) {
      throw new Error(`${file}: a level of ${bytes.byteLength} bytes is said to have ` +
                      level.uncompressedByteLength);
    }
    return Buffer.from(bytes).toString('base64');
  });
  const [descriptor] = container.dataFormatDescriptor;
  console.log(JSON.stringify({
    format: container.vkFormat,
    size: [container.pixelWidth, container.pixelHeight, container.pixelDepth],
    layers: container.layerCount,
    faces: container.faceCount,
    model: descriptor.colorModel,
    transfer: descriptor.transferFunction,
    block: descriptor.texelBlockDimension,
    samples: descriptor.samples.length,
    keys: Object.keys(container.keyValue),
    levels,
  }));
}
