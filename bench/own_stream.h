// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "wakuzume/scene.h"

namespace wakuzume {

/// A stream with a block and a view of its own.
template <class T>
StreamId add_stream(Scene& scene,
                    const std::vector<T>& values,
                    ComponentType component,
                    ElementType element) {
  BlockView view;
  view.block = make_id<BlockId>(scene.blocks.size());
  view.length = values.size() * sizeof(T);
  scene.blocks.emplace_back().bytes = make_bytes(values);
  Stream stream;
  stream.view = make_id<ViewId>(scene.views.size());
  stream.component = component;
  stream.element = element;
  stream.count = values.size() / component_count(element);
  scene.views.push_back(view);
  scene.streams.push_back(stream);
  return make_id<StreamId>(scene.streams.size() - 1);
}

}  // namespace wakuzume
