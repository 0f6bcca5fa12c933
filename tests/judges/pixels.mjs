// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT

/// What a GPU gives from the bottom up, from the top down and in base64: four bytes a pixel.
export const toText = (raw, width, height) => {
  const row = width * 4;
  const pixels = new Uint8Array(raw.length);
  for (let y = 0; y < height; ++y) {
    pixels.set(raw.subarray((height - 1 - y) * row, (height - y) * row), y * row);
  }
  let text = '';
  for (let i = 0; i < pixels.length; i += 0x8000) {
    text += String.fromCharCode(...pixels.subarray(i, i + 0x8000));
  }
  return btoa(text);
};
