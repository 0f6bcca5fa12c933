// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Holds documents against their JSON Schemas: schema.mjs SCHEMA DOCUMENT [SCHEMA DOCUMENT ...]
// Prints what is wrong and ends with 1 when anything is.
import {readFileSync} from 'node:fs';
import Ajv from 'ajv/dist/2020.js';

const read = (file) => JSON.parse(readFileSync(file, 'utf8'));
const files = process.argv.slice(2);
let failed = false;
for (let i = 0; i + 1 < files.length; i += 2) {
  const check = new Ajv({strict: true, strictTuples: false}).compile(read(files[i]));
  if (!check(read(files[i + 1]))) {
    console.log(files[i + 1], JSON.stringify(check.errors));
    failed = true;
  }
}
process.exit(failed ? 1 : 0);
