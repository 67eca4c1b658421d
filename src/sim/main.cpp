// SPDX-License-Identifier: GPL-3.0-or-later
// kuvio-sim: the simulated bench. Prints its endpoints as one JSON line and runs until asked to
// stop.

#include "sim/bench.h"

#include <CLI/CLI.hpp>

#include <cstdio>
#include <iostream>

int main(int argc, char** argv) {
  kuvio::sim::BenchSettings settings;
  std::vector<std::string> faults;
  CLI::App app{"The simulated bench: a device under test and the equipment around it"};
  app.add_option("--build", settings.build,
                 "firmware of the device: 2.3.0, 2.4.0-rc1 or 2.4.0-rc2");
  app.add_option("--device", settings.device, "satchel, or perch with its two outputs");
  app.add_option("--seed", settings.seed, "random seed");
  app.add_option("--instrument-seed", settings.instrument_seed,
                 "seed of the analyser's errors and serial number (as --seed): one instrument for "
                 "several devices");
  app.add_option("--speed", settings.speed, "simulated seconds per second")
      ->check(CLI::Range(0.01, 100000.0));
  app.add_option("--fault", faults,
                 "hang-up@S[:LENGTH], stall@S, lost@S:LENGTH, over-range@S:LENGTH or nan@S:LENGTH, "
                 "from the start of logging");
  app.add_option("--stream", settings.stream,
                 "tcp or serial: a shunt digitiser that sends the binary stream");
  app.add_option("--stream-rate", settings.digitiser.rate_hz, "its samples per second")
      ->check(CLI::Range(1.0, 20e6));
  app.add_option("--stream-channels", settings.digitiser.channels, "how many channels it has")
      ->check(CLI::Range(1, 8));
  app.add_option("--stream-drift", settings.digitiser.drift_ppm,
                 "clock error in ppm, positive = fast")
      ->check(CLI::Range(-1000.0, 1000.0));
  app.add_option("--stream-drop", settings.digitiser.drop, "share of its frames that are lost")
      ->check(CLI::Range(0.0, 1.0));
  app.add_option("--stream-garble", settings.digitiser.garble, "share of its frames with an error")
      ->check(CLI::Range(0.0, 1.0));
  app.add_option("--stream-stall", settings.digitiser.stall_at, "it falls silent (bench time, s)");
  app.add_option("--stream-restart", settings.digitiser.restart_at,
                 "it starts again (bench time, s)");
  app.add_option("--lines", settings.lines,
                 "tcp, serial or a path: a logger that prints lines of text");
  app.add_option("--lines-rate", settings.lines_rate, "its lines per second")
      ->check(CLI::Range(0.01, 10000.0));
  app.add_flag("!--lines-without-time", settings.lines_time, "its lines have no time column");
  app.add_flag("--meter", settings.meter, "a bench meter on TCP");
  app.add_flag("--serial", settings.serial, "the analyser on a serial line, too");
  app.add_option("--sensors", settings.sensors, "a folder for a tree of kernel sensors");
  app.add_option("--baud", settings.baud, "baud rate of the device log")
      ->check(CLI::Range(50, 4000000));
  app.add_option("--joined", settings.joined,
                 "series or parallel: the analyser's two outputs are one (beside Satchel)")
      ->check(CLI::IsMember({"series", "parallel"}));
  app.add_flag("--power-on", settings.power_on, "start with the output on");
  app.add_option("--truth", settings.truth_file,
                 "write what really happened to this file, for tests");
  app.add_option("--port", settings.port, "TCP port on loopback (default: any free port)")
      ->check(CLI::Range(0, 65535));
  try {
    app.parse(argc, argv);
    for (const std::string& fault : faults) kuvio::sim::add_fault(settings.faults, fault);
    kuvio::sim::Bench bench(settings);
    std::cout << bench.endpoints() << std::endl;
    bench.run();
  } catch (const CLI::ParseError& e) {
    if (e.get_exit_code() == 0) return app.exit(e);
    std::fprintf(stderr, "kuvio-sim: usage error: command line: %s\n", e.what());
    return 64;
  } catch (const std::invalid_argument& e) {
    std::fprintf(stderr, "kuvio-sim: usage error: command line: %s\n", e.what());
    return 64;
  } catch (const std::exception& e) {
    std::fprintf(stderr, "kuvio-sim: cannot start: bench: %s\n", e.what());
    return 69;
  }
  return 0;
}
