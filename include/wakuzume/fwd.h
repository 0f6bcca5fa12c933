// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

/// Forward declarations of the types that the stages hand to each other.
namespace wakuzume {

struct Apart;
struct AssessSettings;
struct Assessment;
struct BuildSettings;
struct Built;
struct CostProfile;
struct Error;
struct Finding;
struct FindingSettings;
struct Frames;
struct Job;
struct JobResult;
struct JobTools;
struct Ladder;
struct Ledger;
struct MaterialSettings;
struct Packing;
struct Pixels;
struct Plan;
struct Prepared;
struct ProposeSettings;
struct Repainted;
struct RoutePlan;
struct RunControl;
struct Scene;
struct Settings;
struct Sharing;
struct Source;
struct Split;
struct SplitSettings;
struct Survey;
struct SurveySettings;
struct Verdict;
struct VerifySettings;
struct ViewSettings;
struct Viewpoint;
class BuildCache;
class CullingBoxes;
class Delivery;
class Observer;
class PictureCodec;
class Table;
class Visibility;

}  // namespace wakuzume
