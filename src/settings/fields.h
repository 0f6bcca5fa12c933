// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <string>

#include "wakuzume/settings_file.h"

namespace wakuzume {

/// What a setting is, with its range; and its option on the line, where it has one.
struct Meaning {
  // NOLINTNEXTLINE(google-explicit-constructor): most settings are told in one text
  constexpr Meaning(const char* told) : text(told) {}
  constexpr Meaning(const char* told,
                    const char* named,
                    const char* helped,
                    const char* called = nullptr)
      : text(told), option(named), help(helped), value(called) {}

  const char* text;
  const char* option = nullptr;
  const char* help = nullptr;   ///< of the option
  const char* value = nullptr;  ///< what its value is called; null: by its type
};

/// The settings of what the survey reads and from where it looks.
template <class AnySettings, class Visit>
void for_each_survey_setting(AnySettings& settings, const Visit& visit) {
  auto& split = settings.split;
  visit("split", "nodes", split.nodes,
        Meaning{"nodes whose own mesh is taken to pieces before anything else: globs over paths, "
                "or terms",
                "--split",
                "Take the meshes of these nodes to pieces first; a wish, may be given again",
                "WISH"});
  visit("split", "by", split.by,
        Meaning{"into \"parts\" that hang together, or by the \"cells\" of a grid", "--split-by",
                "Into connected parts, or by cells of a grid"});
  visit("split", "cell_size_m", split.cell_size_m,
        Meaning{"edge of those cells in metres, from the world origin; above 0, to 1e9",
                "--split-cell", "Edge of those cells in metres", "SIZE"});
  auto& survey = settings.survey;
  visit("survey", "moving_nodes", survey.moving_nodes,
        Meaning{"what may move: globs over node paths, with all below, or terms, \"mesh=door_*\"",
                "--moving", "What may move; a wish, may be given again", "WISH"});
  visit("survey", "keep_nodes", survey.keep_nodes,
        Meaning{"what to leave as it is: globs over node paths, with all below, or terms", "--keep",
                "Leave this as it is; a wish, may be given again", "WISH"});
  visit("survey", "collider_nodes", survey.collider_nodes,
        Meaning{"invisible physics helpers: globs over node paths, with all below, or terms",
                "--helper", "Invisible physics helpers; a wish, may be given again", "WISH"});
  visit("survey", "static_key", survey.static_key,
        "a node whose extras hold this key with false may move, with all below");
  visit("survey", "constant_tracks", survey.constant_tracks,
        "nodes that an animation holds where they stand: \"may_move\" or \"stand_still\"");
  visit("survey", "collider_key", survey.collider_key,
        "a node whose extras hold this key with true is a collider, with all below");
  visit("survey", "lightmap_key", survey.lightmap_key,
        "key in the extras of a node, mesh, primitive or material that names its lightmap page");
  visit("survey", "lightmap_transform_key", survey.lightmap_transform_key,
        "key beside it for where UVs are on the page: [scale u, scale v, offset u, offset v]");
  visit("survey", "lightmap_uv_set", survey.lightmap_uv_set,
        "UV set that lightmaps are looked up in; 0 to 15");
  visit("survey", "level_key", survey.level_key,
        "key in a node's extras that says what is loaded together; holds for all below");
  visit(
      "survey", "tag_keys", survey.tag_keys,
      Meaning{
          "keys in nodes' extras that keep draws apart, with all below: \"layer\", \"cast=shadow\"",
          "--tag-key", "Keep draws apart by a key of extras; what it is may follow, as cast=shadow",
          "KEY"});
  auto& views = settings.views;
  visit("views", "count", views.count,
        Meaning{"views that are sampled beside the scene's cameras; 0 to 65536", "--views",
                "Views to sample beside the scene's cameras"});
  visit("views", "seed", views.seed,
        Meaning{"another seed stands elsewhere; 0 to 4294967295", "--view-seed",
                "Another seed stands elsewhere"});
  visit("views", "eye_height_m", views.eye_height_m,
        "height of the eye above the surface it stands on; above 0, to 1e6");
  visit("views", "yfov_deg", views.yfov_deg, "vertical opening of sampled views; 1 to 170");
  visit("views", "aspect", views.aspect,
        "width by height, of cameras without an own too; 0.1 to 10");
  visit(
      "cost", "profile", settings.profile,
      Meaning{
          "cost profile: \"pocket\", \"headset\", \"couch\", \"desk\", or the path of a TOML file",
          "--profile", "Cost profile: pocket, headset, couch, desk or a TOML file"});
}

/// Where findings begin.
template <class AnySettings, class Visit>
void for_each_finding_setting(AnySettings& settings, const Visit& visit) {
  auto& findings = settings.findings;
  visit("findings", "texels_per_metre", findings.texels_per_metre,
        "texel density that surfaces need; above 0, to 1e6");
  visit("findings", "too_fine_factor", findings.too_fine_factor,
        "an image is too fine from so many times that density on; 1 to 1e6");
  visit("findings", "repeats", findings.repeats,
        "an image that each use repeats so often is a detail image; 1 to 1e9");
  visit("findings", "large_share", findings.large_share,
        "share of the scene's extent that makes a draw too large to cull; above 0, to 1");
  visit("findings", "large_triangles", findings.large_triangles,
        "triangles from which on that matters; 0 to 4294967295");
  visit("findings", "separate_parts", findings.separate_parts,
        "separate parts that make a large draw one merged too coarsely; 2 to 4294967295");
  visit("findings", "far_m", findings.far_m,
        "distance from the origin that is too far; above 0, to 1e12");
  visit("findings", "max_vertices", findings.max_vertices,
        "most vertices of a primitive; 3 to 4294967294");
  visit("findings", "helper_words", findings.helper_words,
        "words in names of nodes, meshes and materials that mark helpers");
}

/// How materials are shared.
template <class AnyMaterials, class Visit>
void for_each_material_setting(AnyMaterials& materials, const Visit& visit) {
  visit("materials", "goal", materials.goal,
        Meaning{
            "share materials: \"keep\" all, \"full_resolution\" (lose no texel), \"fewest_draws\"",
            "--materials",
            "Share materials: not at all, without losing texels, or for the fewest draws"});
  visit("materials", "routes", materials.routes,
        Meaning{"route of materials, \"moss_*=stay\"; fold, tint, atlas, layers, rebake, "
                "stay, cutout",
                "--route",
                "Route of materials: fold, tint, atlas, layers, rebake, stay, cutout; may be given "
                "again",
                "WISH=ROUTE"});
  visit("materials", "scales", materials.scales,
        Meaning{"sizes of materials' tiles: a scale \"sign_*=0.5\", or at most \"logo=512px\", "
                "\"*=40/m\"",
                "--tile-scale",
                "Scale of materials' tiles, or the most pixels or texels a metre: sign_*=0.5, "
                "logo=512px, *=40/m; may be given again",
                "WISH=SIZE"});
  visit(
      "materials", "together", materials.together,
      Meaning{
          "materials that end as one of their own, by the name behind the sign: \"window_*=glass\"",
          "--together", "Make one material of these, on a page of their own; may be given again",
          "WISH=NAME"});
  visit(
      "materials", "layouts", materials.layouts,
      Meaning{"parts unwrapped together, painted into one material by that UV set: \"hut_*=hut:1\"",
              "--bake-onto",
              "Paint these into one material by a UV set they have, as hut:1 or hut:1:1024px",
              "WISH=NAME:SET"});
  visit("materials", "ungrouped", materials.ungrouped,
        Meaning{"materials in no group of `together`: \"allowed\", or \"refused\" before anything "
                "is painted",
                "--ungrouped", "Materials that are in no group: allowed, or refused"});
  visit("materials", "place_key", materials.place_key,
        Meaning{
            "key in nodes' extras whose values have pages of their own, as a room; with all below",
            "--page-each", "Pages of their own for each value of this key of extras, as room",
            "KEY"});
  visit("materials", "factor_tolerance", materials.factor_tolerance,
        "factors of materials that count as equal may differ by so much; 0 to 1");
  visit("materials", "max_page_px", materials.max_page_px,
        Meaning{"longest side of a page; 64 to 16384", "--page",
                "Longest side of a page of tiles, pixels", "PIXELS"});
  visit("materials", "page_sides", materials.page_sides,
        "sides of pages: \"multiples_of_four\" or \"powers_of_two\"");
  visit("materials", "allowed_loss", materials.allowed_loss,
        "fewest_draws: mean loss of a smaller tile, in steps of 8 bits; 0 to 255");
  visit("materials", "max_pages", materials.max_pages,
        "pages that one kind of material may take; 0: any, with fewest_draws few; 0 to 65536");
  visit("materials", "turning", materials.turning,
        "tiles are turned by a \"quarter\" where that packs better, or \"never\"");
  visit("materials", "tile_order", materials.tile_order,
        Meaning{"tiles of a page: \"tight\", or in rows \"by_name\" or \"by_place\"",
                "--tile-order", "Tiles of a page: tight, or in rows by name or by place"});
  visit("materials", "clean_mips", materials.clean_mips,
        "mip levels in which no tile shows its neighbours; 0 to 8");
  visit("materials", "unrolled_repeats", materials.unrolled_repeats,
        "times a texture may be repeated and still be unrolled into a page; 1 to 1024");
  visit("materials", "enough_texels_per_metre", materials.enough_texels_per_metre,
        "tiles finer than this shrink to it; 0: none; 0.01 to 1e6");
  visit("materials", "max_layers", materials.max_layers, "layers of one texture array; 2 to 2048");
  visit("materials", "max_stack_megabytes", materials.max_stack_megabytes,
        "arrays that go together, without supercompression and with mip levels; 1 to 65536");
  visit("materials", "layer_format", materials.layer_format,
        "texels of arrays: \"rgba8\", \"astc_4x4\" or \"astc_6x6\"");
  visit("materials", "layer_packing", materials.layer_packing,
        "supercompression of arrays: \"zstd\" or \"none\"");
  visit("materials", "plain_look", materials.plain_look,
        "old materials for viewers that know no layers: \"beside\", or \"none\"");
  visit("materials", "rebaked_texels_per_metre", materials.rebaked_texels_per_metre,
        "of what is rebaked; 0: as fine as it was; 0.01 to 1e6");
  visit("materials", "rebaked_uv_set", materials.rebaked_uv_set,
        "where new UVs go; 0 to 15, 16: the first set that is free");
  visit("materials", "picture_type", materials.picture_type,
        "what pages are written as: \"png\", \"jpeg\" or \"webp\"");
  visit("materials", "jpeg_quality", materials.jpeg_quality, "of pages that are JPEG; 1 to 100");
  visit("materials", "webp_quality", materials.webp_quality,
        "of pages that are WebP; 1 to 100, which is without loss");
  visit("materials", "layer_quality", materials.layer_quality,
        "of layers that are ASTC, from fast to thorough; 0 to 100");
}

/// How meshes are reduced.
template <class AnyReduce, class Visit>
void for_each_reduce_setting(AnyReduce& reduce, const Visit& visit) {
  visit("reduce", "triangles", reduce.triangles,
        "most triangles as drawn; 0: any number; 0 to 4294967295");
  visit("reduce", "share", reduce.share, "of the triangles drawn today; 0 to 1");
  visit("reduce", "error_m", reduce.error_m,
        "metres that surfaces may lie off; 0: any, where a count is wanted; 0 to 1e9");
  visit("reduce", "error_px", reduce.error_px,
        "the same in pixels of the view that shows a mesh largest; 0 to 10000");
  visit("reduce", "height_px", reduce.height_px,
        "height of pictures that pixels are of; 1 to 65536");
  visit("reduce", "distance_m", reduce.distance_m,
        "from where pixels are seen; 0: from the views; 0 to 1e9");
  visit("reduce", "nodes", reduce.nodes,
        Meaning{"nodes whose meshes are reduced: globs over paths, or terms; none: all", "--only",
                "Reduce only what these nodes show; a wish, may be given again", "WISH"});
  visit("reduce", "protect", reduce.protect,
        Meaning{"what stays: globs over node paths, names of meshes and of materials, or terms",
                "--protect",
                "Leave this as it is: a wish; globs are over paths, names of meshes and materials",
                "WISH"});
  visit("reduce", "protect_joints", reduce.protect_joints,
        Meaning{"what these joints or those below move stays; globs over their paths",
                "--protect-joints",
                "Leave what these joints move; a glob over their paths, with all below them",
                "GLOB"});
  visit("reduce", "protect_attribute", reduce.protect_attribute,
        Meaning{
            "vertices whose attribute says 1 stay, those between 0 and 1 go later: \"COLOR_1.r\"",
            "--protect-by", "Leave vertices whose attribute says 1, those between 0 and 1 go later",
            "ATTRIBUTE"});
  visit("reduce", "protect_boxes", reduce.protect_boxes,
        "what lies in a box of the world stays: [[x, y, z, to x, to y, to z]], metres");
  visit("reduce", "protect_detail", reduce.protect_detail,
        Meaning{"what carries print stays: steps of 255 that a quarter of its size loses, as 20; "
                "0 to 255",
                "--protect-detail",
                "Leave what carries lettering: where a small picture loses so many steps, as 20",
                "STEPS"});
  visit("reduce", "places", reduce.places,
        "vertices of what is reduced: where they are \"best\", or \"old\" ones alone");
  visit(
      "reduce", "relief_px", reduce.relief_px,
      Meaning{"side of pictures that normals of what went are painted into; 0: none; 16 to 8192",
              "--relief",
              "Paint the normals of what went into a picture of so many pixels a material", "PX"});
  visit("reduce", "collider_triangles", reduce.collider_triangles,
        "colliders of \"reduced\" meshes, or of the \"original\" ones");
}

/// How lightmap pages are joined.
template <class AnyLightmaps, class Visit>
void for_each_lightmap_setting(AnyLightmaps& lightmaps, const Visit& visit) {
  visit("lightmaps", "goal", lightmaps.goal,
        Meaning{"pages that draws are lit by: \"keep\" them, or \"join\" them onto large ones",
                "--lightmaps", "Keep the lightmap pages, or join them onto large ones"});
  visit("lightmaps", "max_page_px", lightmaps.max_page_px,
        "longest side of a joined page; 64 to 16384");
  visit("lightmaps", "page_sides", lightmaps.page_sides,
        "sides of joined pages: \"multiples_of_four\" or \"powers_of_two\"");
  visit("lightmaps", "max_pages", lightmaps.max_pages,
        "joined pages; what needs more stays where it is; 0: any number; 0 to 65536");
  visit("lightmaps", "clean_mips", lightmaps.clean_mips,
        "mip levels in which every lookup is what it was; 0 to 8");
  visit("lightmaps", "gutter_px", lightmaps.gutter_px,
        "texels around what is lit that go along, beyond what those need; 0 to 256");
  visit("lightmaps", "source_page_px", lightmaps.source_page_px,
        "side of pages without pictures; 0: as their UVs show it; 4 to 16384");
  visit("lightmaps", "pictures", lightmaps.pictures,
        "names of pages' pictures: of images, or of files beside the scene; {page} stands for it");
}

/// How vertex data is stored.
template <class AnyGeometry, class Visit>
void for_each_geometry_setting(AnyGeometry& geometry, const Visit& visit) {
  visit("geometry", "vertex_storage", geometry.form,
        Meaning{"of the result: \"plain\", \"quantised\" to 8 and 16 bits, or that and \"packed\"",
                "--geometry", "Store vertex data as it is, quantised, or quantised and packed"});
  visit("geometry", "position_error_m", geometry.position_error_m,
        "farthest that a vertex may lie off when quantised; 1e-6 to 1");
  visit("geometry", "direction_error_deg", geometry.direction_error_deg,
        "most by which normals and tangents may turn; 0.001 to 10");
  visit("geometry", "uv_error_texels", geometry.uv_error_texels,
        "most by which UVs may be off, texels of a texture of 8192; 0.001 to 16");
  visit("geometry", "color_error", geometry.color_error,
        "most by which components of colours may differ; 1e-5 to 0.1");
}

/// Which files there are for GPUs.
template <class AnyPictures, class Visit>
void for_each_gpu_picture_setting(AnyPictures& pictures, const Visit& visit) {
  visit("gpu_pictures", "gpu_texels", pictures.texels,
        Meaning{"KTX2 files with mip levels beside pictures: \"none\", or of \"rgba8\", "
                "\"astc_4x4\", \"astc_6x6\"",
                "--gpu-pictures", "Write pictures as KTX2 with mip levels, too, in this format"});
  visit("gpu_pictures", "gpu_packing", pictures.packing,
        "supercompression of these: \"zstd\" or \"none\"");
  visit("gpu_pictures", "gpu_quality", pictures.quality,
        "of ASTC, from fast to thorough; 0 to 100");
  visit("gpu_pictures", "gpu_least_psnr_db", pictures.least_psnr_db,
        "likeness to the picture below which a finer format is taken, decibels; 0 to 100");
}

/// How a plan is made.
template <class AnySettings, class Visit>
void for_each_propose_setting(AnySettings& settings, const Visit& visit) {
  auto& families = settings.propose.families;
  visit("families", "tolerance", families.tolerance,
        "farthest a vertex of a repeat may be from its place, by its part's diagonal; 0 to 0.01");
  visit("families", "attribute_tolerance", families.attribute_tolerance,
        "most by which UVs, colours and custom attributes of repeats may differ; 0 to 0.01");
  visit("families", "direction_tolerance", families.direction_tolerance,
        "most by which components of normals and tangents of repeats may differ; 0 to 0.1");
  visit("families", "ignored_attributes", families.ignored_attributes,
        "attributes in which repeats may differ, such as \"TEXCOORD_1\"; the first one's is shown");
  auto& propose = settings.propose;
  visit("propose", "min_instances", propose.min_instances,
        Meaning{"an instance set has at least so many instances; 2 to 1e9", "--min-instances",
                "An instance set has at least so many instances"});
  visit(
      "propose", "repeats", propose.repeats,
      Meaning{
          "repeats of one shape: \"by_cost\", \"instance\", \"merge\", or \"only\" them and no "
          "merges",
          "--repeats",
          "Repeats of one shape: by_cost, or always instance or merge them; only: merge nothing"});
  visit("propose", "max_vertices", propose.max_vertices,
        Meaning{"most vertices in a cluster; up to 65535 indices take 16 bits; 3 to 4294967294",
                "--max-vertices", "Most vertices in one cluster"});
  visit("propose", "max_extent_m", propose.max_extent_m,
        "longest side of a group in metres; 0: any; 0 to 1e9");
  visit("propose", "cell_size_m", propose.cell_size_m,
        Meaning{"edge of the grid cells in metres, from the world origin; 0: cut by cost; 0 to 1e9",
                "--cells", "Cut along a grid of this many metres; 0: cut by cost", "SIZE"});
  visit("propose", "triangle_growth", propose.triangle_growth,
        Meaning{"times the triangles of today that a usual view may submit; 0: any, or 1 to 1e6",
                "--triangle-growth",
                "Times today's triangles that a usual view may submit; 0: any number"});
  visit("propose", "few_triangles_ms", propose.few_triangles_ms,
        "no limit on triangles while those of a frame take less than this; 0 to 1e6");
  visit("propose", "memory_growth", propose.memory_growth,
        Meaning{"times the geometry bytes of today that the result may hold; 0: any, or 1 to 1e6",
                "--memory-growth",
                "Times today's geometry bytes that the result may hold; 0: any number"});
  visit("propose", "few_megabytes", propose.few_megabytes,
        "no limit on memory while all geometry takes less than this; 0 to 1e6");
  visit(
      "propose", "blended", propose.blended,
      Meaning{
          "blended draws: \"keep\", merge where it is \"proved\" that no order shows, or \"merge\"",
          "--blended", "Keep blended draws, merge where no order shows, or merge them all"});
  visit("propose", "blended_from", propose.blended_from,
        "where a proved order of triangles is right from: \"everywhere\" alone, or else from the "
        "\"views\"");
  visit("propose", "moving_parts", propose.moving_parts,
        "parts that move as one: \"merge\" under their moving root, or \"keep\"");
  visit("propose", "rigid_parts", propose.rigid_parts,
        Meaning{"what hangs on joints: \"by_cost\", or always (\"skin\") part of skinned meshes, "
                "or \"keep\"",
                "--rigid-parts", "Make what hangs on joints part of skinned meshes, or keep it"});
  visit(
      "propose", "rigid_chains", propose.rigid_chains,
      Meaning{
          "animated parts below each other, or that move alike: \"keep\", or one \"skin\" for all",
          "--rigid-chains", "Make parts of machines one skinned mesh, or keep them"});
  visit("propose", "equal_materials", propose.equal_materials,
        "materials equal by value under other names: \"fold\" into one, or \"apart\"");
  visit("propose", "tints", propose.tints,
        "factors that instances of one set may carry: base_color, metallic, roughness, emissive");
  visit("propose", "instance_values", propose.instance_values,
        Meaning{
            "values that every instance carries: \"id\", \"random\", \"extras.KEY\"",
            "--instance-value",
            "Give instances a value: id, random, or extras.KEY of their nodes; may be given again",
            "VALUE"});
  visit("propose", "instances", propose.instances,
        Meaning{"of sets: by the \"extension\" for them, or as \"nodes\" that every loader reads",
                "--instances", "Write instance sets by the extension, or as nodes on one mesh"});
  visit("propose", "value_storage", propose.value_storage,
        "how instances store tints and values: \"floats\", or \"bytes\" (four, normalized)");
  visit(
      "propose", "mesh_unit", propose.mesh_unit,
      Meaning{"a mesh a \"group\", or one a \"place\" (moving root, grid cell) with a primitive a "
              "material",
              "--mesh-unit", "A mesh a group, or one a place with a primitive a material"});
  visit("propose", "triangle_order", propose.triangle_order,
        "order of merged triangles: \"shading\", quick for a GPU, or that of the \"source\"");
  visit("propose", "colliders", propose.colliders,
        Meaning{"a collider a group: \"none\", its \"triangles\", a \"box\" or a convex \"hull\"",
                "--colliders", "Give every group a collider"});
  visit("propose", "assets", propose.assets,
        Meaning{"groups that become files of their own too: globs over their names, or terms",
                "--as-asset", "Write a group as a file of its own too; a wish, may be given again",
                "WISH"});
  visit("propose", "cluster_names", propose.cluster_names,
        "names of merged meshes, of {number} {material} {mesh} {root} {level} {lightmap} {tag}");
  visit("propose", "set_names", propose.set_names, "names of instance sets, of the same words");
  visit("propose", "object_names", propose.object_names,
        "names of meshes with several primitives, of {number} {root}");
  visit("propose", "collider_names", propose.collider_names,
        "names of colliders; {name} is that of the group");
  for_each_geometry_setting(propose.geometry, visit);
  for_each_gpu_picture_setting(propose.gpu_pictures, visit);
}

/// Every setting in one place: calls `visit(table, key, member, meaning)` for each, in file order.
/// Readers, writers and the plan's record all go through this list.
template <class AnySettings, class Visit>
void for_each_setting(AnySettings& settings, const Visit& visit) {
  for_each_survey_setting(settings, visit);
  for_each_finding_setting(settings, visit);
  for_each_reduce_setting(settings.reduce, visit);
  for_each_lightmap_setting(settings.lightmaps, visit);
  for_each_material_setting(settings.materials, visit);
  for_each_propose_setting(settings, visit);
  auto& verify = settings.verify;
  visit("verify", "position_tolerance", verify.position_tolerance,
        "allowed distance as a share of the result's extent; 0 to 1");
  visit("verify", "direction_tolerance", verify.direction_tolerance,
        "allowed difference of a normal's or tangent's component; 0 to 2");
  visit("verify", "moments", verify.moments,
        "of each animation in which corners of what is deformed are compared; 0 to 10,000");
  visit("verify", "poses", verify.poses, "most of those, of all animations; 0 to 10,000");
  visit("verify", "motion_tolerance", verify.motion_tolerance,
        "how far a corner may be off there, as a share of the extent; 0 to 1");
  visit("verify", "picture_poses", verify.picture_poses,
        "poses and morph targets of what is deformed that are drawn and compared; 0 to 10,000");
  visit("verify", "mend_rounds", verify.mend_rounds,
        "times that run takes back what its proof rejects; 0: never; 0 to 16");
  visit("verify", "look_psnr_db", verify.look_psnr_db,
        "least signal-to-noise ratio of what a shared material shows; 0 to 100");
  visit("verify", "rebaked_look_psnr_db", verify.rebaked_look_psnr_db,
        "the same of what is rebaked, in other directions than before; 0 to 100");
  visit("verify", "draw_share", verify.draw_share,
        "share of a draw's pixels in a view that may be wrong; above 0 to 1");
  visit("verify", "draw_pixels", verify.draw_pixels,
        "pixels of a draw from which on that counts; 1 to 1e6");
  visit("verify", "refiltered_draw_pixels", verify.refiltered_draw_pixels,
        "the same of materials on pages and in layers, which far off show others beside them");
  visit("verify", "refiltered_draw_share", verify.refiltered_draw_share,
        "as draw_share, of those; above 0 to 1");
  visit("verify", "bent_repeat_steps", verify.bent_repeat_steps,
        "steps of 255 for repeats with a normal texture and no tangents; 0 to 255");
  visit("verify", "distance_tolerance", verify.distance_tolerance,
        "allowed difference of the distance that a pixel shows, by that distance; 0 to 1");
  visit("verify", "picture_views", verify.picture_views,
        "views that are drawn and compared; 0: none; 0 to 65536");
  visit("verify", "seconds", verify.seconds,
        "time for drawing views, those of most worth first; 0: as long as it takes; 0 to 1e6");
  visit("verify", "picture_width_px", verify.picture_width_px, "of their pictures; 16 to 8192");
  visit("verify", "picture_height_px", verify.picture_height_px, "of their pictures; 16 to 8192");
  visit("pixels", "stay_steps", verify.pixels[5].steps,
        "steps of 255 by which pixels of materials that stay may differ; 0 to 255");
  visit("pixels", "stay_share", verify.pixels[5].share,
        "share of the pixels of a view that may differ by more; 0 to 1");
  visit("pixels", "fold_steps", verify.pixels[0].steps, "the same of materials that are folded");
  visit("pixels", "fold_share", verify.pixels[0].share, "0 to 1");
  visit("pixels", "tint_steps", verify.pixels[1].steps, "of those that are tinted");
  visit("pixels", "tint_share", verify.pixels[1].share, "0 to 1");
  visit("pixels", "atlas_steps", verify.pixels[2].steps, "of those on pages of tiles");
  visit("pixels", "atlas_share", verify.pixels[2].share, "0 to 1");
  visit("pixels", "layers_steps", verify.pixels[3].steps, "of those in layers");
  visit("pixels", "layers_share", verify.pixels[3].share, "0 to 1");
  visit("pixels", "rebake_steps", verify.pixels[4].steps, "of those that are rebaked");
  visit("pixels", "rebake_share", verify.pixels[4].share, "0 to 1");
  visit("pixels", "reduced_steps", verify.reduced.steps, "of what was reduced");
  visit("pixels", "reduced_share", verify.reduced.share, "0 to 1");
}

/// The words of an enumeration, in its order.
template <class Enum>
struct Words;
template <>
struct Words<Blended> {
  static constexpr std::array list{"keep", "proved", "merge"};
};
template <>
struct Words<BlendedFrom> {
  static constexpr std::array list{"views", "everywhere"};
};
template <>
struct Words<SortBy> {
  static constexpr std::array list{"depth", "distance"};
};
template <>
struct Words<SortAt> {
  static constexpr std::array list{"box_centre", "origin"};
};
template <>
struct Words<ConstantTracks> {
  static constexpr std::array list{"may_move", "stand_still"};
};
template <>
struct Words<Repeats> {
  static constexpr std::array list{"by_cost", "instance", "merge", "only"};
};
template <>
struct Words<MeshUnit> {
  static constexpr std::array list{"group", "place"};
};
template <>
struct Words<TriangleOrder> {
  static constexpr std::array list{"shading", "source"};
};
template <>
struct Words<ColliderShape> {
  static constexpr std::array list{"none", "triangles", "box", "hull"};
};
template <>
struct Words<SplitBy> {
  static constexpr std::array list{"parts", "cells"};
};
template <>
struct Words<MaterialGoal> {
  static constexpr std::array list{"keep", "full_resolution", "fewest_draws"};
};
template <>
struct Words<Ungrouped> {
  static constexpr std::array list{"allowed", "refused"};
};
template <>
struct Words<TileOrder> {
  static constexpr std::array list{"tight", "by_name", "by_place"};
};
template <>
struct Words<VertexPlaces> {
  static constexpr std::array list{"best", "old"};
};
template <>
struct Words<ColliderTriangles> {
  static constexpr std::array list{"reduced", "original"};
};
template <>
struct Words<LightmapGoal> {
  static constexpr std::array list{"keep", "join"};
};
template <>
struct Words<TexelFormat> {
  static constexpr std::array list{"rgba8", "astc_4x4", "astc_6x6"};
};
template <>
struct Words<Supercompression> {
  static constexpr std::array list{"none", "zstd"};
};
template <>
struct Words<PlainLook> {
  static constexpr std::array list{"beside", "none"};
};
template <>
struct Words<PageSides> {
  static constexpr std::array list{"multiples_of_four", "powers_of_two"};
};
template <>
struct Words<Turning> {
  static constexpr std::array list{"never", "quarter"};
};
template <>
struct Words<PictureType> {
  static constexpr std::array list{"png", "jpeg", "webp"};
};
template <>
struct Words<MovingParts> {
  static constexpr std::array list{"merge", "keep"};
};
template <>
struct Words<RigidParts> {
  static constexpr std::array list{"by_cost", "skin", "keep"};
};
template <>
struct Words<RigidChains> {
  static constexpr std::array list{"keep", "skin"};
};
template <>
struct Words<EqualMaterials> {
  static constexpr std::array list{"fold", "apart"};
};
template <>
struct Words<InstanceForm> {
  static constexpr std::array list{"extension", "nodes"};
};
template <>
struct Words<GeometryForm> {
  static constexpr std::array list{"plain", "quantised", "packed"};
};
template <>
struct Words<GpuTexels> {
  static constexpr std::array list{"none", "rgba8", "astc_4x4", "astc_6x6"};
};
template <>
struct Words<ValueStorage> {
  static constexpr std::array list{"floats", "bytes"};
};

template <class Enum>
const char* to_text(Enum word) {
  return Words<Enum>::list[static_cast<std::size_t>(word)];
}
/// \return false for another word
template <class Enum>
bool from_text(const std::string& text, Enum& out) {
  for (std::size_t i = 0; i < Words<Enum>::list.size(); ++i) {
    if (text == Words<Enum>::list[i]) {
      out = static_cast<Enum>(i);
      return true;
    }
  }
  return false;
}

}  // namespace wakuzume
