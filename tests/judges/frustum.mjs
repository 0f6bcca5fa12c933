// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Counts what three.js would draw: frustum.mjs SCENE.glb VIEWS.json prints one line a view:
//   DRAWS_BY_SPHERE DRAWS_BY_BOX NAME
// By sphere is the test of its renderer; by box is the same frustum and its box of each object.
import {readFileSync} from 'node:fs';
import {Box3, Frustum, Matrix4, PerspectiveCamera, OrthographicCamera} from 'three';
import {GLTFLoader} from 'three/examples/jsm/loaders/GLTFLoader.js';

/// Pictures need a browser and decide nothing here: they are taken out before the scene is parsed.
function withoutPictures(file) {
  const json = JSON.parse(file.subarray(20, 20 + file.readUInt32LE(12)).toString());
  delete json.images;
  delete json.textures;
  json.materials = (json.materials ?? []).map((material) => ({
    name: material.name,
    alphaMode: material.alphaMode,
    doubleSided: material.doubleSided,
  }));
  const used = (json.extensionsUsed ?? []).filter((name) => !name.includes('texture'));
  json.extensionsUsed = used.filter((name) => !name.startsWith('KHR_materials'));
  let text = JSON.stringify(json);
  text += ' '.repeat((4 - (Buffer.byteLength(text) % 4)) % 4);
  const body = Buffer.from(text);
  const rest = file.subarray(20 + file.readUInt32LE(12));
  const head = Buffer.from(file.subarray(0, 20));
  head.writeUInt32LE(20 + body.length + rest.length, 8);
  head.writeUInt32LE(body.length, 12);
  return Buffer.concat([head, body, rest]);
}

function makeCamera(view) {
  const far = view.far_m > 0 ? view.far_m : 1e9;
  const camera = view.yfov_deg
    ? new PerspectiveCamera(view.yfov_deg, view.aspect, view.near_m, far)
    : new OrthographicCamera(-view.half_width_m, view.half_width_m, view.half_height_m,
                             -view.half_height_m, view.near_m, far);
  camera.matrixAutoUpdate = false;
  camera.matrix.fromArray(view.matrix);
  camera.updateMatrixWorld(true);
  return camera;
}

const glb = withoutPictures(readFileSync(process.argv[2]));
const bytes = glb.buffer.slice(glb.byteOffset, glb.byteOffset + glb.length);
const scene = (await new GLTFLoader().parseAsync(bytes, '')).scene;
scene.updateMatrixWorld(true);
const objects = [];
scene.traverse((object) => {
  if (object.isMesh || object.isLine || object.isPoints) {
    object.geometry.computeBoundingBox();
    if (object.isSkinnedMesh) {
      object.computeBoundingBox();  // as its joints stand
    }
    objects.push(object);
  }
});
for (const view of JSON.parse(readFileSync(process.argv[3], 'utf8')).views) {
  const camera = makeCamera(view);
  const frustum = new Frustum().setFromProjectionMatrix(
    new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse));
  const box = new Box3();
  let bySphere = 0;
  let byBox = 0;
  for (const object of objects) {
    bySphere += frustum.intersectsObject(object) ? 1 : 0;
    box.copy(object.isSkinnedMesh ? object.boundingBox : object.geometry.boundingBox).applyMatrix4(object.matrixWorld);
    byBox += frustum.intersectsBox(box) ? 1 : 0;
  }
  console.log(bySphere, byBox, view.name);
}
