// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/propose.h"

/// Values that instances carry: which there are, and what extras say of each.
namespace wakuzume {

/// "wear" of "extras.wear"; empty: it is no value of extras.
std::string_view find_value_key(std::string_view name);
/// The attribute of a value: "_ID", "_WEAR"; empty: there is no such value.
std::string find_value_semantic(std::string_view name);
/// Why a list of values can't be carried; empty: it can.
std::string find_value_fault(const std::vector<std::string>& names);

/// What a node's extras, or those of its nearest ancestor that has the key, say of a value:
/// numbers, or a colour in linear light. Empty: nothing that an instance can carry.
std::vector<double> read_instance_value(const Scene& scene, NodeId node, const std::string& key);

/// One value of all instances of a set.
struct InstanceValues {
  std::uint32_t width = 1;      ///< components of each
  std::vector<double> numbers;  ///< instance by instance; empty: no extras say anything that counts
  std::vector<bool> is_said;    ///< by instance: its extras do; others have noughts
};
/// Colours are linear. What has fewer components than another has noughts in their place, of an
/// alpha 1. \param key  in the extras
InstanceValues read_instance_values(const Scene& scene, const Group& group, const std::string& key);

/// Tells each set what its instances have.
void describe_values(const Scene& scene,
                     const std::vector<std::string>& names,
                     std::vector<Group>& groups);

}  // namespace wakuzume
