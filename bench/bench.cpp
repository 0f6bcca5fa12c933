// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Each stage beside a floor measured in the same run. Loading is outside what is timed.

#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <simdjson.h>
#include <unistd.h>

#include <cstring>
#include <filesystem>
#include <fstream>
#include <map>

#include "glasshouse.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

namespace fs = std::filesystem;

/// A .gltf of many nodes in groups of a hundred, as an exporter writes it.
const std::string& make_node_file(std::int64_t nodes) {
  static std::map<std::int64_t, std::string> made;
  std::string& path = made[nodes];
  if (path.empty()) {
    path = (fs::temp_directory_path() / fmt::format("wakuzume-{}-{}.gltf", ::getpid(), nodes))
               .string();
    std::string text = R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[)";
    for (std::int64_t i = 0; i < nodes; i += 100) {
      text += fmt::format("{}{}", i == 0 ? "" : ",", i);
    }
    text += "]}],\"nodes\":[";
    for (std::int64_t i = 0; i < nodes; ++i) {
      text += fmt::format(
          R"({}{{"name":"district_{}/lamp_{}","translation":[{},{},{}],"rotation":[0,0.7071067811865476,0,0.7071067811865476],"scale":[1,1.25,1],"mesh":0)",
          i == 0 ? "" : ",", i / 100, i, 0.37 * static_cast<double>(i), i % 7,
          -0.11 * static_cast<double>(i));
      if (i % 100 == 0) {
        text += ",\"children\":[";
        for (std::int64_t c = i + 1; c < std::min(i + 100, nodes); ++c) {
          text += fmt::format("{}{}", c == i + 1 ? "" : ",", c);
        }
        text += "]";
      }
      text += "}";
    }
    text += R"(],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],)"
            R"("accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3",)"
            R"("min":[0,0,0],"max":[0,0,0]}],"bufferViews":[{"buffer":0,"byteLength":36}],)"
            R"("buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,)" +
            std::string(48, 'A') + R"("}]})";
    std::ofstream(path) << text;
  }
  return path;
}

/// Visits every value and reads every scalar, keeping nothing.
double walk(simdjson::ondemand::value value) {
  double sum = 0;
  switch (value.type().value()) {
    case simdjson::ondemand::json_type::object:
      for (auto field : value.get_object()) {
        sum += static_cast<double>(field.unescaped_key().value().size());
        sum += walk(field.value().value());
      }
      break;
    case simdjson::ondemand::json_type::array:
      for (auto item : value.get_array()) {
        sum += walk(item.value());
      }
      break;
    case simdjson::ondemand::json_type::number:
      sum += value.get_double().value();
      break;
    case simdjson::ondemand::json_type::string:
      sum += static_cast<double>(value.get_string().value().size());
      break;
    case simdjson::ondemand::json_type::boolean:
      sum += value.get_bool().value() ? 1 : 0;
      break;
    case simdjson::ondemand::json_type::null:
      break;
  }
  return sum;
}

void BM_ReadScene_floor(benchmark::State& state) {
  const std::string& path = make_node_file(state.range(0));
  for (auto _ : state) {
    auto text = simdjson::padded_string::load(path);
    simdjson::ondemand::parser parser;
    simdjson::ondemand::document document = parser.iterate(text);
    double sum = 0;
    for (auto field : document.get_object()) {
      sum += walk(field.value().value());
    }
    benchmark::DoNotOptimize(sum);
  }
  state.SetItemsProcessed(state.iterations() * state.range(0));
}
BENCHMARK(BM_ReadScene_floor)
    ->Name("BM_ReadScene/floor_simdjson_walk/nodes")
    ->Arg(20'000)
    ->Arg(200'000)
    ->Unit(benchmark::kMillisecond);

void BM_ReadScene(benchmark::State& state) {
  const std::string& path = make_node_file(state.range(0));
  for (auto _ : state) {
    auto scene = read_scene(path);
    benchmark::DoNotOptimize(scene);
  }
  state.SetItemsProcessed(state.iterations() * state.range(0));
}
BENCHMARK(BM_ReadScene)
    ->Name("BM_ReadScene/nodes")
    ->Arg(20'000)
    ->Arg(200'000)
    ->Unit(benchmark::kMillisecond);

/// The glasshouse as one scene, for the stages.
struct Prepared {
  Scene scene = demo::make_glasshouse();
  Survey survey = *wakuzume::survey(scene);
  Plan plan = *propose(scene, survey, {.min_instances = 1'000'000});
  Built built = *build(scene, plan);
};
const Prepared& glasshouse() {
  static const Prepared prepared;
  return prepared;
}

void report_result(benchmark::State& state, std::size_t draws) {
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(draws));
  state.SetLabel("result " + to_string(glasshouse().built.ledger.result_hash).substr(0, 8));
}

void BM_Survey(benchmark::State& state) {
  glasshouse();  // made before the clock starts
  for (auto _ : state) {
    auto found = survey(glasshouse().scene);
    benchmark::DoNotOptimize(found);
  }
  report_result(state, glasshouse().survey.draws.size());
}
BENCHMARK(BM_Survey)->Name("BM_Survey/glasshouse/draws:1561")->Unit(benchmark::kMillisecond);

void BM_Propose(benchmark::State& state) {
  for (auto _ : state) {
    auto plan = propose(glasshouse().scene, glasshouse().survey);
    benchmark::DoNotOptimize(plan);
  }
  report_result(state, glasshouse().survey.draws.size());
}
BENCHMARK(BM_Propose)->Name("BM_Propose/glasshouse/draws:1561")->Unit(benchmark::kMillisecond);

/// All bytes of the result once: what moving geometry must cost at least.
void BM_Build_floor(benchmark::State& state) {
  std::vector<std::vector<std::byte>> to;
  for (const Block& block : glasshouse().built.scene.blocks) {
    to.emplace_back(block.bytes.size());
  }
  for (auto _ : state) {
    for (std::size_t b = 0; b < to.size(); ++b) {
      const auto from = glasshouse().built.scene.blocks[b].bytes.data();
      std::memcpy(to[b].data(), from.data(), from.size());
      benchmark::ClobberMemory();
    }
  }
  report_result(state, glasshouse().survey.draws.size());
}
BENCHMARK(BM_Build_floor)
    ->Name("BM_Build/floor_memcpy/glasshouse/draws:1561")
    ->Unit(benchmark::kMillisecond);

void BM_Build(benchmark::State& state) {
  const RunControl run{.threads = static_cast<unsigned>(state.range(0))};
  for (auto _ : state) {
    auto built = build(glasshouse().scene, glasshouse().plan, {}, run);
    benchmark::DoNotOptimize(built);
  }
  report_result(state, glasshouse().survey.draws.size());
}
BENCHMARK(BM_Build)
    ->Name("BM_Build/glasshouse/draws:1561/threads")
    ->Arg(1)
    ->Arg(2)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

void BM_Verify(benchmark::State& state) {
  const Prepared& p = glasshouse();
  for (auto _ : state) {
    auto verdict = verify(p.scene, p.built.scene, p.built.ledger);
    benchmark::DoNotOptimize(verdict);
  }
  report_result(state, p.survey.draws.size());
}
BENCHMARK(BM_Verify)->Name("BM_Verify/glasshouse/draws:1561")->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace wakuzume
