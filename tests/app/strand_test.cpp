// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/strand.h"

#include <catch2/catch.hpp>

#include <future>
#include <new>
#include <stdexcept>

using namespace kuvio::app;

TEST_CASE("what a job throws goes to one place, and the jobs behind it run") {
  std::promise<std::string> first, second, third;
  std::vector<std::promise<std::string>*> waiting{&first, &second, &third};
  std::size_t at = 0;
  Strand strand([&](const std::string& why) { waiting.at(at++)->set_value(why); });
  strand.post([](const std::stop_token&) { throw std::invalid_argument("samples overlap"); });
  strand.post([](const std::stop_token&) { throw std::bad_alloc(); });
  strand.post([](const std::stop_token&) { throw 7; });
  std::promise<void> ran;
  strand.post([&](const std::stop_token&) { ran.set_value(); });
  CHECK(first.get_future().get() == "samples overlap");
  CHECK(second.get_future().get() == std::bad_alloc().what());
  CHECK(third.get_future().get() == "something unknown was thrown");
  CHECK(ran.get_future().wait_for(std::chrono::seconds(5)) == std::future_status::ready);
}

TEST_CASE("nobody need listen: a strand outlives what its jobs throw, also the last one") {
  std::promise<void> ran, ended;
  {
    Strand strand;
    strand.post([](const std::stop_token&) { throw std::runtime_error("no"); });
    strand.post([&](const std::stop_token&) { ran.set_value(); });
    CHECK(ran.get_future().wait_for(std::chrono::seconds(5)) == std::future_status::ready);
    strand.at_end([&] {
      ended.set_value();
      throw std::runtime_error("at the end");
    });
  }
  CHECK(ended.get_future().wait_for(std::chrono::seconds(5)) == std::future_status::ready);
}
