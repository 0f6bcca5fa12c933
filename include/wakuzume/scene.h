// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/bytes.h"
#include "wakuzume/geometry.h"
#include "wakuzume/ids.h"
#include "wakuzume/material.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/streams.h"

/// The scene: the tables of a glTF 2.0 asset as plain values.
///
/// In: read_scene, or your own code filling the tables. Out: write_scene, or your own engine.
/// 1. Copying a scene copies its tables and shares all geometry and images.
/// 2. Every table keeps the order of the file, so handles are the file's indices. Only blocks that
/// held nothing but compressed streams are gone, and views follow for what those held.
/// 3. Extensions and members the library does not know are kept as JSON text where they stood.
/// A scene made by hand must pass check_scene before it is handed to a stage.
namespace wakuzume {

/// One vertex attribute: its glTF semantic ("POSITION", "TEXCOORD_0", "_WEAR") and its stream.
struct Attribute {
  std::string semantic;
  StreamId stream = no_stream;
};

/// Values are those of glTF.
enum class PrimitiveMode : std::uint8_t {
  points,
  lines,
  line_loop,
  line_strip,
  triangles,
  triangle_strip,
  triangle_fan,
};

struct Primitive {
  std::vector<Attribute> attributes;
  StreamId indices = no_stream;  ///< no_stream: vertices in their order
  MaterialId material = no_material;
  PrimitiveMode mode = PrimitiveMode::triangles;
  std::uint32_t spelled = 0;
  std::vector<std::vector<Attribute>> morph_targets;
  Boxed<Extra> extra;

  /// The stream of a semantic, or no_stream.
  [[nodiscard]] StreamId find(std::string_view semantic) const;
};

struct Mesh {
  std::string name;
  std::vector<Primitive> primitives;
  /// With WAKUZUME_texture_layers: what shows the same to those who do not know that extension, and
  /// is no draw to those who do. Empty: they see `primitives`.
  std::vector<Primitive> plain;
  std::vector<double> weights;
  Boxed<Extra> extra;
};

/// EXT_mesh_gpu_instancing: the node's mesh is drawn once per element of the streams.
struct Instancing {
  std::vector<Attribute> attributes;  ///< "TRANSLATION", "ROTATION", "SCALE" or "_NAME"
  Boxed<Extra> extra;
};

struct Node {
  std::string name;
  NodeId parent = no_node;  ///< derived from the children lists; see link_parents
  MeshId mesh = no_mesh;
  CameraId camera = no_camera;
  SkinId skin = no_skin;
  LightId light = no_light;
  std::uint32_t spelled = 0;
  Trs trs;
  std::vector<NodeId> children;
  Boxed<Mat4d> matrix;  ///< replaces `trs` where present
  Boxed<std::vector<double>> weights;
  Boxed<Instancing> instancing;
  Boxed<Extra> extra;
};

struct Camera {
  std::string name;
  bool perspective = true;
  double aspect_ratio = 0;  ///< perspective; 0: the viewport's
  double yfov = 0;          ///< perspective; radians
  double xmag = 0;          ///< orthographic; half widths
  double ymag = 0;
  double znear = 0;
  double zfar = 0;  ///< 0: infinite (perspective only)
  Boxed<Extra> lens_extra;
  Boxed<Extra> extra;
};

/// KHR_lights_punctual.
struct Light {
  std::string name;
  std::string type;  ///< "directional", "point" or "spot"
  Vec3d color{1, 1, 1};
  double intensity = 1;   ///< candela, or lux for directional
  double range = 0;       ///< 0: unlimited
  double inner_cone = 0;  ///< radians, spot only
  double outer_cone = 0.785398163397448;
  std::uint32_t spelled = 0;
  Boxed<Extra> spot_extra;
  Boxed<Extra> extra;
};

struct Skin {
  std::string name;
  StreamId inverse_bind_matrices = no_stream;
  NodeId skeleton = no_node;
  std::vector<NodeId> joints;
  Boxed<Extra> extra;
};

struct AnimationSampler {
  StreamId input = no_stream;
  StreamId output = no_stream;
  std::string interpolation;  ///< empty: LINEAR by default
  Boxed<Extra> extra;
};

struct AnimationChannel {
  std::uint32_t sampler = 0;
  NodeId node = no_node;
  std::string path;  ///< "translation", "rotation", "scale", "weights" or an extension's
  Boxed<Extra> target_extra;
  Boxed<Extra> extra;
};

struct Animation {
  std::string name;
  std::vector<AnimationSampler> samplers;
  std::vector<AnimationChannel> channels;
  Boxed<Extra> extra;
};

/// glTF scene: a set of node trees that is shown together.
struct Level {
  std::string name;
  std::vector<NodeId> roots;
  Boxed<Extra> extra;
};

struct Asset {
  std::string version = "2.0";
  std::string min_version;
  std::string generator;
  std::string copyright;
  Boxed<Extra> extra;
};

/// A file that the scene names and the reader did not find. The scene is whole without it.
struct MissingFile {
  std::string uri;
  std::string used_for;  ///< "image 3", "material library"
};

/// Something in a file that can't be read as it stands. The scene is whole without it.
struct SkippedPart {
  std::string file;     ///< its name
  std::string what;     ///< "faces with fewer than three corners"
  std::string instead;  ///< what became of them: "left out"
  std::string detail;   ///< of the first: "vertex 9 is asked for, 4 are there so far"
  std::uint64_t count = 0;
  std::uint64_t first_line = 0;  ///< from 1 on
};

/// How a file stores what streams show. In memory they are plain.
enum class StreamStorage : std::uint8_t {
  plain,
  packed,  ///< by EXT_meshopt_compression
};

struct Scene {
  // Copies, moves and ends of all tables: compiled once and not wherever a scene is passed on.
  Scene();
  Scene(const Scene& other);
  Scene(Scene&& other) noexcept;
  Scene& operator=(const Scene& other);
  Scene& operator=(Scene&& other) noexcept;
  ~Scene();

  Asset asset;
  std::vector<Block> blocks;
  std::vector<BlockView> views;
  std::vector<Stream> streams;
  std::vector<Image> images;
  std::vector<Sampler> samplers;
  std::vector<Texture> textures;
  std::vector<Material> materials;
  std::vector<Mesh> meshes;
  std::vector<Camera> cameras;
  std::vector<Light> lights;
  std::vector<Skin> skins;
  std::vector<Animation> animations;
  std::vector<Node> nodes;
  std::vector<Level> levels;
  LevelId default_level = no_level;
  std::vector<std::string> extensions_used;
  std::vector<std::string> extensions_required;
  std::vector<MissingFile> missing_files;
  std::vector<SkippedPart> skipped_parts;
  StreamStorage storage = StreamStorage::plain;  ///< of the file it was read from, or is to have
  /// Compressions that the file had and the reader undid, by the names of their extensions.
  std::vector<std::string> unpacked;
  Boxed<Extra> lights_extra;  ///< beside the list in the root's KHR_lights_punctual
  Boxed<Extra> extra;

  const Stream& operator[](StreamId id) const { return streams[to_index(id)]; }
  const BlockView& operator[](ViewId id) const { return views[to_index(id)]; }
  const Block& operator[](BlockId id) const { return blocks[to_index(id)]; }
  const Mesh& operator[](MeshId id) const { return meshes[to_index(id)]; }
  const Node& operator[](NodeId id) const { return nodes[to_index(id)]; }
  const Material& operator[](MaterialId id) const { return materials[to_index(id)]; }
};

/// Sets every Node::parent from the children lists.
/// \error node_cycle  a node with two parents, or one that is its own ancestor
/// \error too_large  nodes nested deeper than 512 levels
/// \error index_out_of_range  a child that does not exist
/// \cost O(nodes)
Result<void> link_parents(Scene& scene);

/// Checks every reference, range and index of the scene, the index data included.
/// \error index_out_of_range, out_of_bounds, bad_value, missing_member; the place is a JSON pointer
/// \error too_large  more than 16,777,216 draws, or views that show the same bytes over and over
/// \cost O(tables + index bytes), in parallel over the streams
Result<void> check_scene(const Scene& scene, const RunControl& run = {});

/// Local matrix of a node, whichever way it is given.
Mat4d make_local_matrix(const Node& node);
/// World matrices of all nodes, in double. \pre parents are linked \cost O(nodes)
std::vector<Mat4d> make_world_matrices(const Scene& scene);

/// The elements of a stream as floats, normalized integers expanded as glTF says, sparse
/// substitutions applied: count x components values. Float input comes through bit for bit.
std::vector<float> make_floats(const Scene& scene, StreamId stream);
/// The same in double: exact for every component type.
std::vector<double> make_doubles(const Scene& scene, StreamId stream);
/// The elements of a stream tightly packed in their own type: count x element_bytes bytes.
std::vector<std::byte> make_packed(const Scene& scene, StreamId stream);
/// Vertex numbers in drawing order as the primitive gives them, strips and fans not yet expanded.
std::vector<std::uint32_t> make_indices(const Scene& scene, const Primitive& primitive);
/// The same as a plain list: 3 a triangle, 2 a line, 1 a point. Strips alternate their winding
/// and fans start at their hub, as glTF 2.0 section 3.7.2.1 defines.
std::vector<std::uint32_t> make_list_indices(const Scene& scene, const Primitive& primitive);
/// Vertices a primitive's attributes hold.
std::uint64_t count_vertices(const Scene& scene, const Primitive& primitive);
/// Indices of make_list_indices, without making them.
std::uint64_t count_list_indices(const Scene& scene, const Primitive& primitive);

/// "/wing_a/bench_03/leg": names from the root down; a node without a name is "#12", names are cut
/// after 128 bytes.
std::string make_node_path(const Scene& scene, NodeId node);

/// 128 bits that name the scene's content: node tree, draws, materials by value and all bytes.
/// Changes when anything changes that a plan depends on. \cost memory speed over the blocks
struct ContentHash {
  std::uint64_t high = 0;
  std::uint64_t low = 0;
  bool operator==(const ContentHash&) const = default;
};
ContentHash make_content_hash(const Scene& scene, const RunControl& run = {});
std::string to_string(const ContentHash& hash);  ///< 32 lower-case hexadecimal digits

}  // namespace wakuzume
