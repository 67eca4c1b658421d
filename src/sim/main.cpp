// SPDX-License-Identifier: GPL-3.0-or-later
// kuvio-sim: the simulated bench. Prints its endpoints as one JSON line and runs until told to
// stop.

#include "sim/bench.h"

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <cstdio>
#include <iostream>

int main(int argc, char** argv) {
  kuvio::sim::BenchSettings settings;
  std::vector<std::string> faults;
  CLI::App app{"The simulated bench: a supply that measures, and the parcel logger Satchel on it"};
  app.add_option("--build", settings.build,
                 "firmware of the device: 2.3.0, 2.4.0-rc1 or 2.4.0-rc2");
  app.add_option("--seed", settings.seed, "seed of everything random");
  app.add_option("--speed", settings.speed, "simulated seconds per second")
      ->check(CLI::Range(0.01, 100000.0));
  app.add_option("--fault", faults,
                 "hang-up@S, stall@S, lost@S:LENGTH, over-range@S:LENGTH or nan@S:LENGTH, from the "
                 "start of logging");
  app.add_option("--truth", settings.truth_file,
                 "write what really happened to this file, for tests");
  app.add_option("--port", settings.port, "TCP port on loopback (any free one)")
      ->check(CLI::Range(0, 65535));
  try {
    app.parse(argc, argv);
    for (const std::string& fault : faults) kuvio::sim::add_fault(settings.faults, fault);
    kuvio::sim::Bench bench(settings);
    std::cout << nlohmann::json{{"scpi", bench.scpi_uri()},
                                {"log", bench.log_uri()},
                                {"time_scale", settings.speed},
                                {"build", settings.build}}
                     .dump()
              << std::endl;
    bench.run();
  } catch (const CLI::ParseError& e) {
    if (e.get_exit_code() == 0) return app.exit(e);
    std::fprintf(stderr, "kuvio-sim: bad call: command line: %s\n", e.what());
    return 64;
  } catch (const std::invalid_argument& e) {
    std::fprintf(stderr, "kuvio-sim: bad call: command line: %s\n", e.what());
    return 64;
  } catch (const std::exception& e) {
    std::fprintf(stderr, "kuvio-sim: cannot start: bench: %s\n", e.what());
    return 69;
  }
  return 0;
}
