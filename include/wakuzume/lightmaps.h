// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "wakuzume/ids.h"
#include "wakuzume/packing.h"
#include "wakuzume/picture_codec.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/shot.h"
#include "wakuzume/survey.h"
#include "wakuzume/texel_grid.h"

/// Lightmaps: joining the pages that a level is lit by.
///
/// In: a scene, its survey and how large its pages are. Out: which rectangles of the pages go where
/// on larger ones, and a scene to survey and plan in place of the first, whose draws look there.
/// 1. Rectangles keep their texels and their size: nothing is turned, scaled or resampled.
/// 2. Whatever a draw looks up, with the four texels around it, is the same before and after, in
///    the first mip levels too.
/// 3. No geometry is touched: where a draw looks is a transform in the extras of its node.
/// 4. Same scene, same settings: the same pages.
namespace wakuzume {

enum class LightmapGoal : std::uint8_t {
  keep,  ///< every draw stays on its page
  join   ///< pages go together onto large ones
};

struct LightmapSettings {
  LightmapGoal goal = LightmapGoal::keep;
  std::uint32_t max_page_px = 4096;  ///< longest side of a joined page \range [64, 16384]
  /// With powers of two, of pages with such sides, a float holds every new UV exactly.
  PageSides page_sides = PageSides::powers_of_two;
  /// Joined pages; what goes on no more of them stays where it is. 0: any number. \range [0, 65536]
  std::uint32_t max_pages = 0;
  /// Mip levels below the first in which every lookup is what it was. \range [0, 8]
  std::uint32_t clean_mips = 2;
  /// Texels around what is looked up that go along, beyond those which clean mips need.
  /// \range [0, 256]
  std::uint32_t gutter_px = 0;
  /// Side of pages whose pictures are not there; 0: the one on whose texels most UVs lie.
  /// \range 0, [4, 16384]
  std::uint32_t source_page_px = 0;
  /// Names of pages' pictures: of images of the scene, or of files beside it without their endings.
  /// {page} is as the extras spell it.
  std::string pictures = "lightmap_{page}";
  bool operator==(const LightmapSettings&) const = default;
};
/// \error bad_setting  names the member and its range
Result<void> validate(const LightmapSettings& settings);

/// How the side of a page is known.
enum class PageSizeFrom : std::uint8_t {
  picture,   ///< its own
  settings,  ///< LightmapSettings::source_page_px
  uvs,       ///< most corners lie on texels or between two of them
  guess      ///< they don't: 1,024
};
inline constexpr std::size_t page_size_from_count = 4;
std::string_view to_string(PageSizeFrom from);

/// A page of the source.
struct LightmapPage {
  std::string name;  ///< as the extras spell it
  RectSize size;
  PageSizeFrom size_from = PageSizeFrom::guess;
  std::uint32_t clean_mips = 0;  ///< as many as its sides can be halved, up to the settings'
  ImageId image = no_image;      ///< of the source scene: its picture
  std::string file{};            ///< beside the scene: its picture; its name
  std::string format{};          ///< TexelGrid::format of the picture; empty: there is none
  bool operator==(const LightmapPage&) const = default;
};

struct JoinedPage {
  std::string name;  ///< a number where all pages of the source have numbers
  RectSize size;
  std::string picture{};  ///< name of its image or, with an ending, of its file; empty: none
  std::string format{};   ///< of all pages that come here
  bool embedded = false;  ///< its picture is an image of the scene
  bool operator==(const JoinedPage&) const = default;
};

/// A rectangle on its way, and the draws that look into it.
struct LightmapMove {
  std::uint32_t from = 0;  ///< position in LightmapPlan::pages
  /// Texels that go along. Beyond the page its edge is mirrored, which shows in no lookup that is
  /// clamped to the page.
  TexelRect rect;
  std::uint32_t to = 0;  ///< position in LightmapPlan::joined
  std::uint32_t x = 0;   ///< of the rectangle's corner there
  std::uint32_t y = 0;
  std::vector<DrawRef> draws;  ///< ascending
  bool operator==(const LightmapMove&) const = default;
};

struct LightmapPlan {
  LightmapSettings settings;
  std::string page_key;       ///< as the source's survey had them
  std::string transform_key;  ///< empty: none
  std::uint32_t uv_set = 1;
  std::vector<LightmapPage> pages;  ///< those that something leaves, in first-seen order
  std::vector<JoinedPage> joined;
  std::vector<LightmapMove> moves;   ///< by page of the source, then by place there
  std::vector<std::string> left_as;  ///< what stays on its page, and why; a sentence each
  std::vector<DrawRef> untouched;    ///< draws that were put back, ascending

  /// Something moves.
  [[nodiscard]] bool joins() const { return !moves.empty(); }
  /// The key for places in the joined scene: the source's, or one that no result has.
  [[nodiscard]] const std::string& joined_transform_key() const;
  bool operator==(const LightmapPlan&) const = default;
};
/// Where draws of a joined scene have their place while the user has no key for it.
inline constexpr const char* own_transform_key = "wakuzume_lightmap_place";

/// Of each instance of a set: scale along u and v and offset of its UVs on its lightmap page, four
/// floats. It stands for what extras may say of the set's node or mesh.
inline constexpr const char* lightmap_semantic = "_LIGHTMAP";

/// From the UVs of a page to those of the joined page, for what a move takes along.
LightmapPlace make_place(const LightmapPlan& plan, const LightmapMove& move);

/// A file beside a scene.
struct LightmapFile {
  std::string name;
  Bytes bytes;
};

/// With which endings such files are looked for, one after the other.
inline constexpr const char* lightmap_endings[] = {"", ".png", ".hdr", ".exr"};

/// Pictures of pages that lie beside a scene. FolderLightmaps of wakuzume/delivery.h, or your own.
class LightmapFiles {
 public:
  LightmapFiles() = default;
  LightmapFiles(const LightmapFiles&) = delete;
  LightmapFiles& operator=(const LightmapFiles&) = delete;
  virtual ~LightmapFiles() = default;
  /// \param name  the pattern of LightmapSettings::pictures, filled in
  /// \return without a name: there is none \threads from several at a time
  [[nodiscard]] virtual Result<LightmapFile> find(const std::string& name) const = 0;
};

/// What draws what: how pictures are read, and those beside the scene. Borrowed.
struct LightmapTools {
  const PictureCodec& codec;
  const LightmapFiles* files = nullptr;  ///< null: there are none
};

/// What is known of a page's picture.
struct LightmapPicture {
  std::string page;
  ImageId image = no_image;
  std::string file{};
  RectSize size;
  std::string format;
};

/// Those of the pages that draws name: images of the scene first, then files.
/// \error bad_image  of a picture that can't be read, with its name
/// \cost reads the heads of the pictures
Result<std::vector<LightmapPicture>> find_lightmap_pictures(const Scene& scene,
                                                            const Survey& survey,
                                                            const LightmapSettings& settings,
                                                            const LightmapTools& tools,
                                                            const RunControl& run = {});

/// The picture of a page; without bytes where it has none. \param source  before pages were joined
/// \error as LightmapFiles::find
Result<Bytes> read_page_picture(const Scene& source,
                                const LightmapPage& page,
                                const LightmapTools& tools);

/// The same with their bytes, to show the scene by them. Those that can't be read are left out.
/// \error cancelled
Result<std::vector<LitPage>> read_lit_pages(const Scene& scene,
                                            const Survey& survey,
                                            const LightmapSettings& settings,
                                            const LightmapTools& tools,
                                            const RunControl& run = {});

/// \pre `survey` is of `scene`
/// \param pictures  of its pages; those without one count as LightmapSettings::source_page_px says
/// \error bad_setting, cancelled
/// \cost O(draws + vertices of lit shapes), and the packing of at most some thousand rectangles
Result<LightmapPlan> propose_lightmaps(const Scene& scene,
                                       const Survey& survey,
                                       std::span<const LightmapPicture> pictures = {},
                                       const LightmapSettings& settings = {},
                                       const RunControl& run = {});

struct JoinedScene {
  Scene scene;                  ///< the images of joined pages have no bytes yet
  std::vector<ImageId> images;  ///< by joined page; no_image where it is a file, or has no picture
};

/// The scene with its draws on the joined pages; the rules for its survey are those of the source
/// with LightmapPlan::joined_transform_key.
/// \error plan_mismatch  moves of another scene
/// \cost O(nodes); geometry is shared
Result<JoinedScene> join_lightmaps(const Scene& scene,
                                   const LightmapPlan& plan,
                                   const RunControl& run = {});

/// Puts a rectangle where it goes. \pre both have the format and sizes that the plan was made for
void move_texels(const TexelGrid& from, const LightmapMove& move, TexelGrid& to);

/// Has what no rectangle of a joined page fills go on as what is beside it, in its row or in the
/// nearest one: coarse mip levels mix it in, and black would show.
/// \param page  position in LightmapPlan::joined \pre all of its moves were moved
void fill_gaps(std::span<const LightmapMove> moves, std::uint32_t page, TexelGrid& to);

/// The plan with the pictures that there are now, as whole multiples of what they were when it was
/// made: rectangles grow with them, and UVs stay right.
/// \param plan  pages without pictures may have some now
/// \error bad_image; plan_mismatch  pages of sizes that do not fit, or of several formats on one
Result<LightmapPlan> find_pictures_again(const Scene& scene,
                                         const LightmapPlan& plan,
                                         const LightmapTools& tools);

/// The pictures of joined pages, encoded as those that come to them.
/// \param scene  the source, before its pages were joined
/// \return by joined page; without bytes where it has none
/// \error bad_image, too_large; plan_mismatch  a picture of another size or format than it was
/// \cost reads each picture once for every joined page that it comes to; a joined page and a
///       picture a thread in memory
Result<std::vector<Bytes>> paint_lightmaps(const Scene& scene,
                                           const LightmapPlan& plan,
                                           const LightmapTools& tools,
                                           const RunControl& run = {});

}  // namespace wakuzume
