// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Runs the Khronos validator over files and prints one line a file:
//   ERRORS WARNINGS FILE [first message]
// Ends with 1 when any file has an error.
import {readFile} from 'node:fs/promises';
import {dirname, join} from 'node:path';
import validator from 'gltf-validator';

let failed = false;
for (const file of process.argv.slice(2)) {
  const report = await validator.validateBytes(new Uint8Array(await readFile(file)), {
    uri: file,
    maxIssues: 1000,
    externalResourceFunction: async (uri) =>
      new Uint8Array(await readFile(join(dirname(file), decodeURIComponent(uri)))),
  });
  const {numErrors, numWarnings, messages} = report.issues;
  const first = messages.find((m) => m.severity === 0) ?? messages.find((m) => m.severity === 1);
  const text = first ? ` ${first.code} ${first.pointer ?? ''} ${first.message}` : '';
  console.log(`${numErrors} ${numWarnings} ${file}${text}`);
  failed ||= numErrors > 0;
}
process.exit(failed ? 1 : 0);
