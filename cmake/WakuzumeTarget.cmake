# Settings that all of our own targets share.
function(wakuzume_target target)
  target_compile_features(${target} PUBLIC cxx_std_20)
  set_target_properties(
    ${target} PROPERTIES CXX_EXTENSIONS OFF POSITION_INDEPENDENT_CODE ON UNITY_BUILD_MODE GROUP)
  # -Wno-restrict: g++ 12 sees overlaps in std::string's own operator+ (GCC bug 105651).
  # -ffp-contract=off: the same bytes out whether or not the processor has fused multiply-add.
  target_compile_options(
    ${target} PRIVATE -Wall -Wextra -Wpedantic -Wshadow -Wconversion -Wsign-conversion
                      -Wold-style-cast -Woverloaded-virtual -Werror -Wno-restrict -ffp-contract=off)
  # simdjson's On-Demand parser picks its kernels when it is compiled. Processors have had these two
  # since 2010, and without them reading is three times slower.
  if(CMAKE_SYSTEM_PROCESSOR MATCHES "^(x86_64|AMD64)$")
    target_compile_options(${target} PRIVATE -march=x86-64-v2 -mpclmul)
  endif()
endfunction()

# A part of the library: `name` is what others link as wakuzume::name.
function(wakuzume_library target name)
  add_library(wakuzume::${name} ALIAS ${target})
  set_target_properties(${target} PROPERTIES EXPORT_NAME ${name} VERIFY_INTERFACE_HEADER_SETS ON)
  wakuzume_target(${target})
  target_include_directories(${target} PRIVATE ${PROJECT_SOURCE_DIR}/src ${generated_dir})
endfunction()

# Adds the files of a folder to a target. By the presets that people and CI build first, ten are
# compiled at once, or as many as `unity_size` says: that takes half of the time, and one that
# changed half a minute.
function(wakuzume_sources target)
  get_filename_component(room ${CMAKE_CURRENT_SOURCE_DIR} NAME)
  target_sources(${target} PRIVATE ${ARGN})
  if(NOT unity_size)
    set(unity_size 10)
  endif()
  set(number 0)
  foreach(file ${ARGN})
    math(EXPR group "${number} / ${unity_size}")
    set_property(
      SOURCE ${file}
      TARGET_DIRECTORY ${target}
      PROPERTY UNITY_GROUP ${room}_${group})
    math(EXPR number "${number} + 1")
  endforeach()
endfunction()

# Left out by the preset for the debugger, which shows that each file includes what it needs.
function(wakuzume_precompile target)
  target_precompile_headers(
    ${target} PRIVATE <fmt/format.h> <algorithm> <functional> <map> <numeric> <optional> <set>
                      <string> <unordered_map> <vector> ${PROJECT_SOURCE_DIR}/include/wakuzume/scene.h
                      ${ARGN})
endfunction()
