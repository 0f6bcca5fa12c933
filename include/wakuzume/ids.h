// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>

/// Typed handles into the flat tables of a scene, a survey or a plan: 32 bits each, with one named
/// null. A handle is an index; it says nothing about the lifetime of what it points to.
namespace wakuzume {

enum class AnimationId : std::uint32_t {};
enum class BlockId : std::uint32_t {};
enum class CameraId : std::uint32_t {};
enum class DrawId : std::uint32_t {};
enum class FamilyId : std::uint32_t {};
enum class GroupId : std::uint32_t {};
enum class ImageId : std::uint32_t {};
enum class KeyId : std::uint32_t {};
enum class LevelId : std::uint32_t {};
enum class LightId : std::uint32_t {};
enum class MaterialId : std::uint32_t {};
enum class MeshId : std::uint32_t {};
enum class NodeId : std::uint32_t {};
enum class PipelineId : std::uint32_t {};
enum class RigId : std::uint32_t {};
enum class SamplerId : std::uint32_t {};
enum class ShapeId : std::uint32_t {};
enum class SkinId : std::uint32_t {};
enum class StreamId : std::uint32_t {};
enum class TextureId : std::uint32_t {};
enum class ViewId : std::uint32_t {};

inline constexpr std::uint32_t no_index = 0xFFFF'FFFFU;
inline constexpr BlockId no_block{no_index};
inline constexpr CameraId no_camera{no_index};
inline constexpr DrawId no_draw{no_index};
inline constexpr GroupId no_group{no_index};
inline constexpr ImageId no_image{no_index};
inline constexpr LevelId no_level{no_index};
inline constexpr LightId no_light{no_index};
inline constexpr MaterialId no_material{no_index};
inline constexpr MeshId no_mesh{no_index};
inline constexpr NodeId no_node{no_index};
inline constexpr RigId no_rig{no_index};
inline constexpr SamplerId no_sampler{no_index};
inline constexpr SkinId no_skin{no_index};
inline constexpr StreamId no_stream{no_index};
inline constexpr TextureId no_texture{no_index};
inline constexpr ViewId no_view{no_index};

/// The position a handle stands for in its table.
template <class Id>
constexpr std::size_t to_index(Id id) {
  return static_cast<std::size_t>(id);
}

/// The handle for a position in a table. \pre index < no_index
template <class Id>
constexpr Id make_id(std::size_t index) {
  return static_cast<Id>(static_cast<std::uint32_t>(index));
}

}  // namespace wakuzume
