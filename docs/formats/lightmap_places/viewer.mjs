// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Lights what the glTF loader of three.js has loaded by lightmap pages, with places in extras and
// on instances:
//
//   const gltf = await loader.loadAsync(url);
//   await lightByPages(gltf, (page) => `lightmap_${page}`, (name) => textures.loadAsync(`${name}.png`));
import * as THREE from 'three';

const instancing = 'EXT_mesh_gpu_instancing';

/// What extras say: of the node before the mesh, of that before the primitive and the material.
function findExtra(object, key) {
  const of = [object.parent?.isGroup ? object.parent : object, object, object.geometry, object.material];
  return of.map((one) => one.userData?.[key]).find((value) => value !== undefined);
}

/// Of an instance set its places, four numbers each; null where it has none.
async function findPlaces(parser, object) {
  const node = [object, object.parent].map((one) => parser.associations.get(one)?.nodes)
                   .find((number) => number !== undefined);
  const accessor = parser.json.nodes?.[node]?.extensions?.[instancing]?.attributes?._LIGHTMAP;
  return object.isInstancedMesh && accessor !== undefined ? parser.getDependency('accessor', accessor) : null;
}

/// The material with a page and a place on it. Of instances the place is their own.
function makeLit(material, page, place, ofInstances) {
  const lit = material.clone();
  const before = material.onBeforeCompile;
  const key = material.customProgramCacheKey();
  lit.lightMap = page.clone();
  const [scaleU, scaleV, offsetU, offsetV] = place;
  lit.lightMap.repeat.set(scaleU, scaleV);
  lit.lightMap.offset.set(offsetU, offsetV);
  lit.onBeforeCompile = (shader, renderer) => {
    before.call(lit, shader, renderer);
    if (ofInstances) {
      shader.vertexShader = shader.vertexShader
          .replace('#include <common>', '#include <common>\nattribute vec4 lightmapPlace;')
          .replace('#include <uv_vertex>', '#include <uv_vertex>\n' +
                   'vLightMapUv = LIGHTMAP_UV * lightmapPlace.xy + lightmapPlace.zw;');
    }
  };
  lit.customProgramCacheKey = () => `${key} ${ofInstances}`;
  return lit;
}

/// \param nameOf  of a page: the name of its picture
/// \param load    of such a name, where no image of the file has it: a texture, or null
/// \return objects that are lit so
export async function lightByPages(gltf, nameOf, load, options = {}) {
  const {pageKey = 'lightmap', placeKey = 'lightmap_transform', uvSet = 1} = options;
  const {parser} = gltf;
  const images = parser.json.images ?? [];
  const pages = new Map();
  const findPage = async (page) => {
    if (!pages.has(page)) {
      const image = images.findIndex(({name}) => name === nameOf(page));
      const texture = image >= 0 ? (await parser.loadImageSource(image, parser.textureLoader)).clone() : await load(nameOf(page));
      if (texture) {
        Object.assign(texture, {flipY: false, channel: uvSet, colorSpace: THREE.SRGBColorSpace, needsUpdate: true});
      }
      pages.set(page, texture);
    }
    return pages.get(page);
  };
  const meshes = [];
  gltf.scene.traverse((object) => {
    if (object.isMesh && object.material.isMeshStandardMaterial) {
      meshes.push(object);
    }
  });
  const lit = new Map();
  const has = `uv${uvSet === 0 ? '' : uvSet}`;
  let count = 0;
  for (const object of meshes) {
    const page = findExtra(object, pageKey);
    const texture = page === undefined || !object.geometry.hasAttribute(has) ? null : await findPage(page);
    if (!texture) {
      continue;
    }
    const places = await findPlaces(parser, object);
    if (places) {
      const geometry = new THREE.BufferGeometry().copy(object.geometry);
      geometry.setAttribute('lightmapPlace', new THREE.InstancedBufferAttribute(places.array, 4));
      object.geometry = geometry;
    }
    const place = findExtra(object, placeKey) ?? [1, 1, 0, 0];
    const key = JSON.stringify([object.material.uuid, page, place, Boolean(places)]);
    if (!lit.has(key)) {
      lit.set(key, makeLit(object.material, texture, place, Boolean(places)));
    }
    object.material = lit.get(key);
    ++count;
  }
  return count;
}
