// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/bytes.h"

#include <gtest/gtest.h>

#include <memory>
#include <string>
#include <vector>

namespace wakuzume {
namespace {

TEST(Bytes, StayWhileAnyCopyOrPartLives) {
  const auto keeper = std::make_shared<const std::string>("vertices and indices");
  std::weak_ptr<const std::string> watch = keeper;
  Bytes part;
  {
    const Bytes all(keeper, std::as_bytes(std::span(*keeper)));
    EXPECT_EQ(all.size(), 20U);
    part = all.part(13, 7);
  }
  EXPECT_EQ(watch.use_count(), 2);
  EXPECT_EQ(part.size(), 7U);
  EXPECT_EQ(static_cast<char>(part.data()[0]), 'i');
  EXPECT_EQ(part.data().data(), std::as_bytes(std::span(*keeper)).data() + 13) << "no copy";
  part = {};
  EXPECT_EQ(watch.use_count(), 1);
}

TEST(Bytes, AreEqualByTheirValuesWhoeverOwnsThem) {
  const Bytes a = make_bytes(std::vector<std::uint16_t>{1, 2, 3});
  const Bytes b = make_bytes(std::vector<std::uint16_t>{1, 2, 3});
  EXPECT_NE(a.data().data(), b.data().data());
  EXPECT_TRUE(a == b);
  EXPECT_TRUE(a.part(2, 2) == make_bytes(std::vector<std::uint16_t>{2}));
  EXPECT_TRUE(Bytes() == a.part(6, 0));
  EXPECT_FALSE(a == b.part(0, 4)) << "shorter";
  EXPECT_FALSE(a == make_bytes(std::vector<std::uint16_t>{1, 2, 4}));
}

std::size_t told_of = 0;

TEST(Bytes, TellWhoCanHaveThemAgainThatTheyRest) {
  const std::vector<std::byte> file(100);
  const Bytes mapped(nullptr, file,
                     [](std::span<const std::byte> part) { told_of += part.size(); });
  told_of = 0;
  mapped.part(10, 30).let_go();
  EXPECT_EQ(told_of, 30U) << "the part and no more";
  mapped.let_go();
  EXPECT_EQ(told_of, 130U);
  make_bytes(std::vector<int>{1}).let_go();
  EXPECT_EQ(told_of, 130U);
}

TEST(Boxed, IsCopiedWithWhatItHolds) {
  Boxed<std::string> box;
  EXPECT_FALSE(box);
  box.ensure() = "one";
  Boxed<std::string> copy = box;
  copy.ensure() = "two";
  EXPECT_EQ(*box, "one");
  EXPECT_EQ(*copy, "two");
  box = copy;
  copy.reset();
  EXPECT_FALSE(copy);
  ASSERT_TRUE(box);
  EXPECT_EQ(box->size(), 3U);
  EXPECT_EQ(box.ensure(), "two") << "what is there stays";
}

}  // namespace
}  // namespace wakuzume
