// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/proof_table.h"

#include <gtest/gtest.h>

/// A proof that rejects what is right is as wrong as one that accepts what is broken.
namespace wakuzume {
namespace {

class ProofTables : public testing::TestWithParam<int> {};

TEST_P(ProofTables, RejectsNothingRightAndAcceptsNothingBroken) {
  const auto recipe = static_cast<test::Recipe>(GetParam());
  test::ProofTable table({.width_px = 480, .height_px = 270, .views = 4});
  constexpr std::uint32_t scenes = 2;
  for (std::uint32_t seed = 1; seed <= scenes; ++seed) {
    table.add(std::to_string(seed), test::make_kit_scene(seed, recipe), recipe, seed);
  }
  EXPECT_EQ(table.right(recipe).results, scenes);
  EXPECT_EQ(table.wrong(), std::vector<std::string>{});
  std::size_t faults = 0;
  for (std::size_t f = 0; f < test::fault_count; ++f) {
    faults += table.broken(recipe, static_cast<test::Fault>(f)).results > 0 ? 1U : 0U;
  }
  EXPECT_GE(faults, test::fault_count - 1) << "nearly everything can be broken";
}

INSTANTIATE_TEST_SUITE_P(Recipes,
                         ProofTables,
                         testing::Range(0, static_cast<int>(test::recipe_count)),
                         [](const testing::TestParamInfo<int>& recipe) {
                           return std::string(to_string(static_cast<test::Recipe>(recipe.param)));
                         });

}  // namespace
}  // namespace wakuzume
