// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/reuse.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <optional>

#include "plan/check.h"
#include "scene/hasher.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

/// Changes whenever the bytes that a merge makes of the same input change.
constexpr std::string_view method = "wakuzume merge 5";

using Record = std::vector<std::byte>;

void append(Record& out, const void* data, std::size_t size) {
  const auto* const from = static_cast<const std::byte*>(data);
  out.insert(out.end(), from, from + size);
}

ContentHash hash_text(std::string_view text) {
  return hash_bytes(std::as_bytes(std::span(text.data(), text.size())));
}

/// An entry is its key, what it holds, and a hash over both.
Record seal(const std::string& key, const Record& content) {
  Record out;
  append(out, key.data(), key.size());
  append(out, content.data(), content.size());
  const ContentHash sum = hash_bytes(out);
  append(out, &sum, sizeof(sum));
  return out;
}

/// What a sealed entry holds; nothing where it is damaged or another's.
std::optional<Bytes> unseal(const std::string& key, const Bytes& entry) {
  const std::size_t frame = key.size() + sizeof(ContentHash);
  if (entry.size() < frame) {
    return std::nullopt;
  }
  const std::size_t summed = entry.size() - sizeof(ContentHash);
  const ContentHash sum = hash_bytes(entry.data().first(summed));
  if (std::memcmp(entry.data().data() + summed, &sum, sizeof(sum)) != 0 ||
      std::memcmp(entry.data().data(), key.data(), key.size()) != 0) {
    return std::nullopt;
  }
  return entry.part(key.size(), entry.size() - frame);
}

std::size_t count_different(const std::vector<ContentHash>& a, const std::vector<ContentHash>& b) {
  std::size_t out = 0;
  for (std::size_t i = 0; i < a.size(); ++i) {
    out += a[i] == b[i] ? 0U : 1U;
  }
  return out;
}

}  // namespace

CachedMerge::Parts CachedMerge::make_parts(const ClusterMerge& merge) const {
  Parts out;
  ValueHasher layout;
  for (const OutputAttribute& attribute : merge.layout()) {
    layout.add(attribute.semantic);
    layout.add(attribute.component);
    layout.add(attribute.element);
    layout.add(attribute.normalized);
    layout.add(attribute.as_it_is);
  }
  out.layout = layout.finish();
  for (const MergeMember& member : merge.members()) {
    out.members.push_back(hash_text(
        fmt::format("{} {}", make_node_path(scene_, member.ref.node), member.ref.primitive)));
    ValueHasher shape;
    const Draw& draw = survey_[find_draw(survey_, member.ref)];
    shape.add(survey_.families[to_index(survey_[draw.shape].family)]);
    // Tangents are made along the UVs of the normal texture.
    const StreamId uvs = find_tangent_uvs(scene_, *member.primitive);
    for (const Attribute& attribute : member.primitive->attributes) {
      shape.add(attribute.stream == uvs ? attribute.semantic : std::string());
    }
    out.shapes.push_back(shape.finish());
    ValueHasher matrix;
    matrix.add(member.matrix);
    matrix.add(member.back);
    matrix.add(member.lightmap.scale);
    matrix.add(member.lightmap.offset);
    if (member.binding) {
      matrix.add(member.binding->number.size());
      for (const std::uint32_t number : member.binding->number) {
        matrix.add(number);
      }
      for (const Mat4d& way : member.binding->to_bind) {
        matrix.add(way);
      }
      matrix.add(member.binding->rigid);
      matrix.add(member.binding->mirrored);
    }
    out.matrices.push_back(matrix.finish());
  }
  return out;
}

std::string CachedMerge::record_key() const {
  return to_string(hash_text(fmt::format("{} group {}", method, group_)));
}

/// By what the cache last knew of a group of this name.
std::string CachedMerge::explain(const std::string& key, const Bytes& entry) const {
  const auto content = unseal(key, entry);
  const std::size_t row = 3 * sizeof(ContentHash);
  if (!content || content->size() < sizeof(ContentHash) ||
      (content->size() - sizeof(ContentHash)) % row != 0) {
    return "the cache's record of the group is damaged";
  }
  Parts then;
  const std::size_t count = (content->size() - sizeof(ContentHash)) / row;
  const std::byte* from = content->data().data();
  std::memcpy(&then.layout, from, sizeof(ContentHash));
  from += sizeof(ContentHash);
  for (std::vector<ContentHash>* list : {&then.members, &then.shapes, &then.matrices}) {
    list->resize(count);
    std::memcpy(list->data(), from, count * sizeof(ContentHash));
    from += count * sizeof(ContentHash);
  }
  if (then.members != parts_.members) {
    return fmt::format("its members changed, {} then and {} now", count, parts_.members.size());
  }
  if (const std::size_t changed = count_different(then.shapes, parts_.shapes); changed > 0) {
    return fmt::format("the geometry of {} of its members changed", changed);
  }
  if (const std::size_t moved = count_different(then.matrices, parts_.matrices); moved > 0) {
    return moved == count && count > 1
               ? fmt::format("its pivot moved, so all {} members are stored anew", count)
               : fmt::format("{} of its members stand elsewhere, seen from its pivot", moved);
  }
  return then.layout == parts_.layout ? "its geometry is not in the cache any more"
                                      : "its vertices have other attributes";
}

Reuse CachedMerge::look_up(ClusterMerge& merge) {
  parts_ = make_parts(merge);
  if (!merge.targets().empty()) {
    return {group_, false, "its morph targets are made anew each time"};
  }
  ValueHasher hasher;
  hasher.add(method);
  hasher.add(parts_.layout);
  for (const std::vector<ContentHash>* list : {&parts_.shapes, &parts_.matrices}) {
    hasher.add(list->size());
    for (const ContentHash& hash : *list) {
      hasher.add(hash);
    }
  }
  hasher.add(merge.in_shading_order());
  hasher.add(merge.order().size());
  for (const std::uint32_t triangle : merge.order()) {
    hasher.add(triangle);
  }
  key_ = to_string(hasher.finish());
  const Bytes entry = cache_.find(key_);
  if (entry.size() > 0) {
    const auto content = unseal(key_, entry);
    if (content && merge.adopt(*content)) {
      return {group_, true, {}};
    }
    return {group_, false, "its entry in the cache is damaged or of something else"};
  }
  const std::string record = record_key();
  const Bytes known = cache_.find(record);
  return known.size() > 0 ? Reuse{group_, false, explain(record, known), true}
                          : Reuse{group_, false, "a group that the cache does not know", false};
}

void CachedMerge::store(const ClusterMerge& merge, GeometryBlock& block) const {
  if (!merge.targets().empty()) {
    return;
  }
  if (!merge.adopted()) {
    Record content;
    merge.pack(block, content);
    cache_.store(key_, seal(key_, content));
  }
  Record record;
  append(record, &parts_.layout, sizeof(ContentHash));
  for (const std::vector<ContentHash>* list : {&parts_.members, &parts_.shapes, &parts_.matrices}) {
    append(record, list->data(), list->size() * sizeof(ContentHash));
  }
  const std::string key = record_key();
  cache_.store(key, seal(key, record));
}

}  // namespace wakuzume
