// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// WAKUZUME_texture_layers for the glTF loader of three.js:
//
//   await prepare();
//   loader.register((parser) => new TextureLayers(parser));
import * as THREE from 'three';
import {read} from 'three/addons/libs/ktx-parse.module.js';
import {ZSTDDecoder} from 'three/addons/libs/zstddec.module.js';

const name = 'WAKUZUME_texture_layers';
const zstd = new ZSTDDecoder();

/// Once, before anything is loaded.
export async function prepare() {
  await zstd.init();
}

/// All levels of a texture array, as three.js takes them.
function makeArrayTexture(bytes) {
  const container = read(bytes);
  const depth = Math.max(1, container.layerCount);
  const levels = container.levels.map((level, l) => ({
    data: container.supercompressionScheme === 2
      ? zstd.decode(level.levelData, level.uncompressedByteLength)
      : level.levelData,
    width: Math.max(1, container.pixelWidth >> l),
    height: Math.max(1, container.pixelHeight >> l),
    depth,
  }));
  const texture = new THREE.CompressedArrayTexture(
      levels, container.pixelWidth, container.pixelHeight, depth, THREE.RGBAFormat,
      THREE.UnsignedByteType);
  const srgb = container.vkFormat === 43;
  if (!srgb && container.vkFormat !== 37) {
    throw new Error(`texels of format ${container.vkFormat}; this viewer shows R8G8B8A8`);
  }
  texture.generateMipmaps = false;
  texture.needsUpdate = true;
  return texture;
}

/// Maps of a material, the chunk of the shader that looks each up, and where its layer is in `layers`.
const maps = {map: 'x', roughnessMap: 'y', metalnessMap: 'y', aoMap: 'y', normalMap: 'z', emissiveMap: 'w'};

function resolve(source) {
  return source.replace(/^[ \t]*#include +<([\w\d./]+)>/gm,
                        (_, chunk) => resolve(THREE.ShaderChunk[chunk]));
}

/// Has a material look its arrays up by the vertex's layers.
function useLayers(material, layered) {
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader
        .replace('#include <common>',
                 '#include <common>\nattribute vec4 layers;\nflat varying vec4 vLayers;')
        .replace('#include <begin_vertex>', '#include <begin_vertex>\nvLayers = layers;');
    let fragment = resolve(shader.fragmentShader);
    for (const map of layered) {
      fragment = fragment
          .replaceAll(new RegExp(`uniform sampler2D ${map};`, 'g'),
                      `uniform highp sampler2DArray ${map};`)
          .replaceAll(new RegExp(`texture2D\\( ${map}, (\\w+) \\)`, 'g'),
                      `texture( ${map}, vec3( $1, vLayers.${maps[map]} ) )`);
    }
    shader.fragmentShader = `flat varying vec4 vLayers;\n${fragment}`;
  };
  material.customProgramCacheKey = () => layered.join();
}

export class TextureLayers {
  constructor(parser) {
    this.parser = parser;
    this.name = name;
    for (const mesh of parser.json.meshes ?? []) {
      if (mesh.extensions?.[name]) {
        mesh.primitives = mesh.extensions[name].primitives;
      }
    }
  }

  loadTexture(index) {
    const {parser} = this;
    const definition = parser.json.textures[index];
    const extension = definition.extensions?.[name];
    if (!extension) {
      return null;
    }
    return this.loadArray(definition, extension);
  }

  async loadArray(definition, extension) {
    const {parser} = this;
    const image = parser.json.images[extension.source];
    const bytes = image.bufferView !== undefined
      ? await parser.getDependency('bufferView', image.bufferView)
      : await (await fetch(new URL(image.uri, new URL(parser.options.path, location.href)))).arrayBuffer();
    const texture = makeArrayTexture(new Uint8Array(bytes));
    const sampler = parser.json.samplers?.[definition.sampler] ?? {};
    const wraps = {10497: THREE.RepeatWrapping, 33071: THREE.ClampToEdgeWrapping,
                   33648: THREE.MirroredRepeatWrapping};
    texture.wrapS = wraps[sampler.wrapS ?? 10497];
    texture.wrapT = wraps[sampler.wrapT ?? 10497];
    texture.magFilter = sampler.magFilter === 9728 ? THREE.NearestFilter : THREE.LinearFilter;
    texture.minFilter = THREE.LinearMipmapLinearFilter;
    texture.userData.layers = extension.layers;
    parser.associations.set(texture, {textures: parser.json.textures.indexOf(definition)});
    return texture;
  }

  async afterRoot(result) {
    for (const scene of result.scenes) {
      scene.traverse((object) => {
        if (object.isMesh) {
          this.prepareMesh(object);
        }
      });
    }
  }

  prepareMesh(mesh) {
    const {material, geometry} = mesh;
    const layered = Object.keys(maps).filter((map) => material[map]?.userData.layers);
    const numbers = geometry.getAttribute('_layer');
    if (layered.length === 0 || !numbers) {
      return;
    }
    const layers = new Float32Array(4 * numbers.count);
    for (const map of layered) {
      const lane = 'xyzw'.indexOf(maps[map]);
      const list = material[map].userData.layers;
      for (let v = 0; v < numbers.count; ++v) {
        layers[4 * v + lane] = list[Math.round(numbers.getX(v))];
      }
    }
    geometry.setAttribute('layers', new THREE.BufferAttribute(layers, 4));
    useLayers(material, layered);
    material.needsUpdate = true;
  }
}
