// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "reduce/cut_borders.h"

#include <algorithm>

#include "scene/places.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

/// What one mesh shows of a list of positions.
struct CutPiece {
  std::vector<std::uint32_t> primitives;
  std::vector<StreamId> indices;  ///< of these
};

using CutPieces = std::map<MeshId, CutPiece>;

std::map<StreamId, CutPieces> gather_pieces(const Scene& scene) {
  std::map<StreamId, CutPieces> out;
  for (std::size_t m = 0; m < scene.meshes.size(); ++m) {
    const Mesh& mesh = scene.meshes[m];
    for (std::uint32_t p = 0; p < mesh.primitives.size(); ++p) {
      const StreamId places = mesh.primitives[p].find("POSITION");
      if (places != no_stream && find_topology(mesh.primitives[p].mode) == Topology::triangles) {
        CutPiece& piece = out[places][make_id<MeshId>(m)];
        piece.primitives.push_back(p);
        piece.indices.push_back(mesh.primitives[p].indices);
      }
    }
  }
  return out;
}

using PlaceTriples = std::vector<std::uint32_t>;  ///< three places each

/// Places that are on an edge of one triangle alone, once an edge.
std::vector<std::uint32_t> list_open(const PlaceTriples& triangles) {
  std::vector<std::pair<std::uint32_t, std::uint32_t>> edges;
  edges.reserve(triangles.size());
  for (std::size_t i = 0; i < triangles.size(); ++i) {
    const std::uint32_t a = triangles[i];
    const std::uint32_t b = triangles[i % 3 == 2 ? i - 2 : i + 1];
    if (a != b) {
      edges.emplace_back(std::min(a, b), std::max(a, b));
    }
  }
  std::sort(edges.begin(), edges.end());
  std::vector<std::uint32_t> open;
  for (std::size_t e = 0; e < edges.size(); ++e) {
    const bool alone =
        (e == 0 || edges[e - 1] != edges[e]) && (e + 1 == edges.size() || edges[e + 1] != edges[e]);
    if (alone) {
      open.insert(open.end(), {edges[e].first, edges[e].second});
    }
  }
  return open;
}

}  // namespace

CutBorders::CutBorders(const Scene& scene) {
  for (const auto& [stream, pieces] : gather_pieces(scene)) {
    // Meshes that show the very same triangles are copies, and no pieces of one.
    std::map<std::vector<StreamId>, PlaceTriples> shown;
    for (const auto& [mesh, piece] : pieces) {
      shown[piece.indices];
    }
    if (shown.size() < 2) {
      continue;
    }
    const std::vector<std::uint32_t> place_of = weld_places(make_floats(scene, stream));
    std::vector<std::uint32_t> users(place_of.size(), 0);
    for (const auto& [mesh, piece] : pieces) {
      PlaceTriples& triangles = shown[piece.indices];
      if (!triangles.empty()) {
        continue;
      }
      for (const std::uint32_t p : piece.primitives) {
        for (const std::uint32_t v : make_list_indices(scene, scene[mesh].primitives[p])) {
          triangles.push_back(place_of[v]);
        }
      }
      std::vector<std::uint32_t> places = triangles;
      std::sort(places.begin(), places.end());
      places.erase(std::unique(places.begin(), places.end()), places.end());
      for (const std::uint32_t place : places) {
        ++users[place];
      }
    }
    for (const auto& [mesh, piece] : pieces) {
      std::vector<std::uint32_t> cut = list_open(shown[piece.indices]);
      std::erase_if(cut, [&](std::uint32_t place) { return users[place] < 2; });
      std::sort(cut.begin(), cut.end());
      for (const std::uint32_t p : piece.primitives) {
        std::vector<std::uint32_t> elements = make_list_indices(scene, scene[mesh].primitives[p]);
        std::erase_if(elements, [&](std::uint32_t v) {
          return !std::binary_search(cut.begin(), cut.end(), place_of[v]);
        });
        std::sort(elements.begin(), elements.end());
        elements.erase(std::unique(elements.begin(), elements.end()), elements.end());
        if (!elements.empty()) {
          elements_[{mesh, p}] = std::move(elements);
        }
      }
    }
  }
}

std::span<const std::uint32_t> CutBorders::list(MeshId mesh, std::uint32_t primitive) const {
  const auto found = elements_.find({mesh, primitive});
  return found == elements_.end() ? std::span<const std::uint32_t>{} : found->second;
}

}  // namespace wakuzume
