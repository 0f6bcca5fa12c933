// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "verify/allowance.h"
#include "verify/surroundings.h"
#include "wakuzume/verify.h"

/// The geometry audit: one source draw against what the ledger says became of it.
namespace wakuzume {

/// What the audit of one draw found.
struct DrawAudit {
  std::string mismatch;  ///< empty: everything agrees
  std::uint64_t triangles = 0;
  std::uint64_t elements = 0;  ///< lines and points
  double position_error_m = 0;
  bool fitted = false;  ///< agrees as a repeat does, not element by element
  /// Of what is deformed: vertices of the source, and those of the result that they are.
  std::vector<std::pair<std::uint32_t, std::uint32_t>> vertices{};
};

/// Both scenes with what all audits need of them.
class Auditor {
 public:
  /// What rows share that show one geometry for another: it is read and compared once. For rows
  /// that follow each other, on one thread.
  class Memory;

  Auditor(const Scene& before,
          const Scene& after,
          const Ledger& ledger,
          const VerifySettings& settings);

  [[nodiscard]] DrawAudit audit(const LedgerRow& row, Memory& memory) const;

 private:
  struct VertexPair;
  struct Pairing;
  struct Shared;
  struct Rounding {
    double extent_m = 0;    ///< of the result's primitive, in the world
    double rounding_m = 0;  ///< by which floats may be off there
  };

  struct ResultOrder {
    bool has_backs = false;
    bool in_shading_order = false;
    /// By triangle along the rows' ranges: where it is in the primitive. Empty: in its place.
    std::vector<std::uint32_t> place_of;
  };

  /// Of a row's result; null where its triangles stand as the source has them.
  [[nodiscard]] const ResultOrder* find_order(const LedgerRow& row) const;
  [[nodiscard]] bool has_backs(const LedgerRow& row) const;
  [[nodiscard]] bool in_shading_order(const LedgerRow& row) const;
  void take_corners(const LedgerRow& row, Pairing& pairing) const;
  [[nodiscard]] std::string compare_identity(const LedgerRow& row) const;
  [[nodiscard]] std::string compare_material(const LedgerRow& row) const;
  [[nodiscard]] DrawAudit audit_repeat(const Pairing& pairing,
                                       double rounding_m,
                                       DrawAudit otherwise) const;
  void compare_all(const Pairing& pairing, double allowed, DrawAudit& out) const;
  [[nodiscard]] std::optional<Mat4d> find_result_matrix(const LedgerRow& row) const;
  void find_places(const LedgerRow& row, Pairing& pairing) const;
  [[nodiscard]] Pairing make_pairing(const LedgerRow& row, bool turned) const;
  void pair_vertices(Pairing& pairing) const;
  [[nodiscard]] Shared make_shared(const LedgerRow& row, bool turned, const Mat4d& world) const;
  void turn_triangles(Pairing& pairing) const;
  [[nodiscard]] Rounding find_rounding(const Shared& shared, const LedgerRow& row) const;
  void compare_shared(Shared& shared, double allowed, DrawAudit& out) const;
  void compare_elements(const Pairing& pairing, double allowed, DrawAudit& out) const;
  static void count_elements(const Pairing& pairing, DrawAudit& out);
  template <class Asked>
  [[nodiscard]] std::string compare_attributes(const Pairing& pairing, const Asked& asked) const;
  [[nodiscard]] std::string find_lost(const Pairing& pairing) const;
  static bool is_ignored(const Pairing& pairing, const Attribute& attribute);
  [[nodiscard]] std::string compare_attribute(const Pairing& pairing,
                                              const Attribute& attribute) const;
  [[nodiscard]] std::string compare_directions(const Pairing& pairing,
                                               const Attribute& attribute) const;

  // What is deformed (audit_deformed.cpp).
  [[nodiscard]] bool is_skinned_anew(const LedgerRow& row) const {
    return row.fate == Fate::merged && after_[row.node].skin != no_skin;
  }
  void compare_deformed(const LedgerRow& row,
                        const Pairing& pairing,
                        double allowed,
                        DrawAudit& out) const;
  [[nodiscard]] std::string compare_joints(const LedgerRow& row, const LedgerResult& result) const;
  void compare_bound(const LedgerRow& row,
                     const LedgerResult& result,
                     const Pairing& pairing,
                     double allowed,
                     DrawAudit& out) const;
  [[nodiscard]] std::string compare_targets(const LedgerRow& row,
                                            const LedgerResult& result,
                                            const Pairing& pairing) const;

  const Scene& before_;
  const Scene& after_;
  const Ledger& ledger_;
  const VerifySettings& settings_;
  Allowance allowance_;  ///< for what was quantised
  std::vector<Mat4d> before_world_;
  std::vector<Mat4d> after_world_;
  std::string lightmap_uvs_;                         ///< semantic
  std::map<DrawRef, const LedgerResult*> deformed_;  ///< results with a skin or targets
  std::map<DrawRef, ResultOrder> orders_;            ///< of results that have one, or backs
  Surroundings surroundings_before_;
  Surroundings surroundings_after_;
};

class Auditor::Memory {
 public:
  Memory();
  Memory(const Memory&) = delete;
  Memory& operator=(const Memory&) = delete;
  ~Memory();

 private:
  friend class Auditor;
  struct Key {
    const Primitive* before = nullptr;
    const Primitive* after = nullptr;
    std::uint64_t first_index = 0;
    std::uint64_t index_count = 0;
    bool turned = false;
    bool operator==(const Key&) const = default;
  };
  Key key_;
  std::unique_ptr<Shared> shared_;
};

}  // namespace wakuzume
