// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <optional>
#include <string>
#include <vector>

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
};

/// Both scenes with what all audits need of them.
class Auditor {
 public:
  Auditor(const Scene& before,
          const Scene& after,
          const Ledger& ledger,
          const VerifySettings& settings);

  [[nodiscard]] DrawAudit audit(const LedgerRow& row) const;

 private:
  struct Pairing;
  struct Rounding {
    double extent_m = 0;    ///< of the result's primitive, in the world
    double rounding_m = 0;  ///< by which floats may be off there
  };

  [[nodiscard]] std::string compare_identity(const LedgerRow& row) const;
  [[nodiscard]] std::string compare_material(const LedgerRow& row) const;
  [[nodiscard]] DrawAudit audit_repeat(const Pairing& pairing,
                                       double rounding_m,
                                       DrawAudit otherwise) const;
  void compare_all(const Pairing& pairing, double allowed, DrawAudit& out) const;
  [[nodiscard]] std::optional<Mat4d> find_result_matrix(const LedgerRow& row) const;
  [[nodiscard]] Pairing make_pairing(const LedgerRow& row, const Mat4d& result_world) const;
  [[nodiscard]] Rounding find_rounding(const Pairing& pairing, const LedgerRow& row) const;
  void compare_elements(const Pairing& pairing, double allowed, DrawAudit& out) const;
  [[nodiscard]] std::string compare_attribute(const Pairing& pairing,
                                              const Attribute& attribute) const;
  [[nodiscard]] std::string compare_directions(const Pairing& pairing,
                                               const Attribute& attribute) const;

  const Scene& before_;
  const Scene& after_;
  const Ledger& ledger_;
  const VerifySettings& settings_;
  std::vector<Mat4d> before_world_;
  std::vector<Mat4d> after_world_;
  Surroundings surroundings_before_;
  Surroundings surroundings_after_;
};

}  // namespace wakuzume
