// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/scene.h"

namespace wakuzume {

Scene::Scene() = default;
Scene::Scene(const Scene& other) = default;
Scene::Scene(Scene&& other) noexcept = default;
Scene& Scene::operator=(const Scene& other) = default;
Scene& Scene::operator=(Scene&& other) noexcept = default;
Scene::~Scene() = default;

}  // namespace wakuzume
