// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>
#include <optional>
#include <string_view>

#include "scene/elements.h"
#include "scene/matrix.h"
#include "survey/rigs.h"

// How a draw is bound to its rig.
namespace wakuzume {
namespace {

/// Of matrices of one size: by so much directions may differ.
constexpr double turn_tolerance = 1e-5;

constexpr std::string_view joints_prefix = "JOINTS_";
constexpr std::string_view weights_prefix = "WEIGHTS_";

/// Vertices of a primitive with what they are bound to.
class BindingMaker {
 public:
  BindingMaker(const Scene& scene, const Rig& rig, SkinId skin, const Primitive& primitive)
      : scene_(scene),
        rig_(rig),
        skin_(scene.skins[to_index(skin)]),
        primitive_(primitive),
        own_(make_inverse_binds(scene, skin_)),
        count_(count_vertices(scene, primitive)) {}

  Binding make() {
    for (const InfluenceSet& set : list_influences(primitive_)) {
      sets_.emplace_back(ElementReader(scene_, set.joints), ElementReader(scene_, set.weights));
    }
    if (sets_.empty()) {
      out_.fault = "has a skin, and no joints or weights";
      return out_;
    }
    number_joints();
    if (!check_joints() || same_) {
      out_.matrix = identity_matrix;
      return out_;
    }
    for (std::size_t j = 0; j < own_.size(); ++j) {
      if (out_.number[j] == no_index) {
        out_.to_bind.push_back(identity_matrix);
        continue;
      }
      const Mat4d& bind = rig_.inverse_binds[out_.number[j]];
      if (bind == own_[j] || !is_invertible(bind)) {
        out_.to_bind.push_back(identity_matrix);
      } else {
        out_.to_bind.push_back(from_eigen(as_eigen(bind).inverse() * as_eigen(own_[j])));
      }
    }
    find_reach();
    find_way();
    return out_;
  }

 private:
  struct Influence {
    std::uint32_t joint = 0;
    double weight = 0;
  };

  void number_joints() {
    std::map<NodeId, std::uint32_t> numbers;
    for (std::uint32_t j = 0; j < rig_.joints.size(); ++j) {
      numbers.emplace(rig_.joints[j], j);
    }
    for (std::size_t j = 0; j < skin_.joints.size(); ++j) {
      const auto at = numbers.find(skin_.joints[j]);
      out_.number.push_back(at == numbers.end() ? no_index : at->second);
      same_ = same_ && (at == numbers.end() || rig_.inverse_binds[at->second] == own_[j]);
    }
  }

  /// Calls `visit(v, span of its influences, the heaviest first)`; stops where that says false.
  template <class Visit>
  bool for_each_vertex(const Visit& visit) const {
    std::vector<Influence> influences;
    for (std::uint32_t v = 0; v < count_; ++v) {
      influences.clear();
      for (const auto& [joints, weights] : sets_) {
        std::array<double, 4> j{};
        std::array<double, 4> w{};
        joints.load(v, j.data());
        weights.load(v, w.data());
        for (std::size_t i = 0; i < 4; ++i) {
          if (w[i] != 0) {
            influences.push_back({static_cast<std::uint32_t>(j[i]), w[i]});
          }
        }
      }
      std::stable_sort(influences.begin(), influences.end(),
                       [](const Influence& a, const Influence& b) { return a.weight > b.weight; });
      if (!visit(v, influences)) {
        return false;
      }
    }
    return true;
  }

  bool check_joints() {
    used_.assign(own_.size(), false);
    const bool good = for_each_vertex([&](std::uint32_t v, const std::vector<Influence>& all) {
      for (const Influence& influence : all) {
        if (influence.joint >= own_.size()) {
          out_.fault =
              fmt::format("its vertex {} names joint {} of {}", v, influence.joint, own_.size());
          return false;
        }
        if (out_.number[influence.joint] == no_index) {
          out_.fault = fmt::format("hangs on the joint \"{}\", which the rest does not",
                                   scene_[skin_.joints[influence.joint]].name);
          return false;
        }
        used_[influence.joint] = true;
      }
      return true;
    });
    return good;
  }

  [[nodiscard]] Eigen::Vector4d place(std::uint32_t v) const {
    Eigen::Vector4d p(0, 0, 0, 1);
    positions_.load(v, p.data());
    return p;
  }

  void find_reach() {
    for_each_vertex([&](std::uint32_t v, const std::vector<Influence>& all) {
      if (!all.empty()) {
        reach_ = std::max(reach_, (as_eigen(own_[all.front().joint]) * place(v)).head<3>().norm());
      }
      return true;
    });
  }

  /// One matrix for all where there is one; else each vertex goes by its heaviest joint's.
  void find_way() {
    const auto first =
        static_cast<std::size_t>(std::find(used_.begin(), used_.end(), true) - used_.begin());
    if (holds(identity_matrix)) {
      out_.matrix = identity_matrix;
    } else if (first < used_.size() && holds(out_.to_bind[first])) {
      out_.matrix = out_.to_bind[first];
    } else if (!holds(std::nullopt)) {
      out_.fault = fmt::format(
          "bound in another pose than the rest of its skeleton at the joint \"{}\", and to others "
          "too",
          scene_[skin_.joints[fault_joint_]].name);
      return;
    }
    for (std::size_t j = 0; j < used_.size(); ++j) {
      if (used_[j] && directed() && !is_similarity(out_.matrix.value_or(out_.to_bind[j]))) {
        out_.fault = fmt::format(
            "bound in another pose than the rest of its skeleton, stretched at the joint \"{}\"",
            scene_[skin_.joints[j]].name);
        return;
      }
    }
  }

  [[nodiscard]] bool directed() const {
    return primitive_.find("NORMAL") != no_stream || !primitive_.morph_targets.empty();
  }

  static bool is_similarity(const Mat4d& matrix) {
    const Eigen::Matrix3d linear = as_eigen(matrix).topLeftCorner<3, 3>();
    const Eigen::Matrix3d squares = linear.transpose() * linear;
    const double scale = squares.trace() / 3;
    return scale > 0 && (squares / scale - Eigen::Matrix3d::Identity()).norm() <= turn_tolerance;
  }

  /// Whether all joints of each vertex take it to the same place. \param matrix  nothing: that of
  /// its heaviest joint
  bool holds(const std::optional<Mat4d>& matrix) {
    return for_each_vertex([&](std::uint32_t v, const std::vector<Influence>& all) {
      if (all.empty()) {
        return true;
      }
      const Mat4d& way = matrix ? *matrix : out_.to_bind[all.front().joint];
      const Eigen::Vector4d p = place(v);
      const Eigen::Vector4d bound = as_eigen(way) * p;
      return std::all_of(all.begin(), all.end(), [&](const Influence& influence) {
        const Mat4d& bind = rig_.inverse_binds[out_.number[influence.joint]];
        const Mat4d& own = own_[influence.joint];
        const Eigen::Vector3d off = (as_eigen(bind) * bound - as_eigen(own) * p).head<3>();
        const Eigen::Matrix3d got = (as_eigen(bind) * as_eigen(way)).topLeftCorner<3, 3>();
        const Eigen::Matrix3d wanted = as_eigen(own).topLeftCorner<3, 3>();
        const bool good = off.norm() <= bind_tolerance * reach_ &&
                          (!directed() || (got - wanted).norm() <= turn_tolerance * wanted.norm());
        fault_joint_ = good ? fault_joint_ : influence.joint;
        return good;
      });
    });
  }

  const Scene& scene_;
  const Rig& rig_;
  const Skin& skin_;
  const Primitive& primitive_;
  std::vector<Mat4d> own_;
  std::uint64_t count_;
  ElementReader positions_{scene_, primitive_.find("POSITION")};
  std::vector<std::pair<ElementReader, ElementReader>> sets_;
  std::vector<bool> used_;  ///< by joint of its skin
  bool same_ = true;
  double reach_ = 0;
  std::uint32_t fault_joint_ = 0;
  Binding out_;
};

}  // namespace

bool is_influence(std::string_view semantic) {
  return semantic.starts_with(joints_prefix) || semantic.starts_with(weights_prefix);
}

std::vector<InfluenceSet> list_influences(const Primitive& primitive) {
  std::vector<InfluenceSet> out;
  while (true) {
    const InfluenceSet set{primitive.find(fmt::format("{}{}", joints_prefix, out.size())),
                           primitive.find(fmt::format("{}{}", weights_prefix, out.size()))};
    if (set.joints == no_stream || set.weights == no_stream) {
      return out;
    }
    out.push_back(set);
  }
}

std::vector<Mat4d> make_inverse_binds(const Scene& scene, const Skin& skin) {
  std::vector<Mat4d> out(skin.joints.size(), identity_matrix);
  if (skin.inverse_bind_matrices != no_stream) {
    const std::vector<double> values = make_doubles(scene, skin.inverse_bind_matrices);
    for (std::size_t j = 0; j < std::min(out.size(), values.size() / 16); ++j) {
      std::copy_n(values.begin() + static_cast<std::ptrdiff_t>(16 * j), 16, out[j].begin());
    }
  }
  return out;
}

Binding make_binding(const Scene& scene, const Rig& rig, SkinId skin, const Primitive& primitive) {
  return BindingMaker(scene, rig, skin, primitive).make();
}

Mat4d make_rigid_binding(const Rig& rig,
                         std::uint32_t joint,
                         const std::vector<Mat4d>& world,
                         NodeId node) {
  const Eigen::Matrix4d from_joint =
      as_eigen(world[to_index(rig.joints[joint])]).inverse() * as_eigen(world[to_index(node)]);
  return from_eigen(as_eigen(rig.inverse_binds[joint]).inverse() * from_joint);
}

}  // namespace wakuzume
