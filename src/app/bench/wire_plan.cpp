// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/wire_plan.h"

#include "acquire/endpoint.h"
#include "app/engine/text.h"
#include "app/engine/time_notation.h"
#include "core/error.h"
#include "core/number_text.h"

#include <QCoreApplication>
#include <QFileInfo>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr double kMuch = 0.05;  // part of the supply that a shunt may drop before it is pointed out

QString tr(const char* text) { return QCoreApplication::translate("WirePlan", text); }

/// "Kuvio,Simulated analyser,81563,1.0" is "Simulated analyser": its model, as people call it.
QString model_of(const std::string& identity) {
  const QStringList parts = qs(identity).split(QLatin1Char(','));
  return (parts.size() > 1 ? parts[1] : parts.front()).trimmed();
}

/// An address for people: where it is, without how it is spoken to.
QString place_of(const QString& address) {
  try {
    const acquire::Endpoint e = acquire::parse_endpoint(address.toStdString());
    if (!e.host.empty()) return qs(e.host);
    return QFileInfo(qs(e.path)).fileName();
  } catch (const Error&) {
    return address;
  }
}

bool is_auxiliary(const BenchState& s, const std::string& output) {
  const auto& all = s.output.set;
  return std::any_of(all.begin(), all.end(),
                     [&](const auto& o) { return o.auxiliary && o.name == output; });
}

const acquire::OutputState* settings_of(const BenchState& s, const std::string& output) {
  for (const acquire::OutputState& o : s.output.set) {
    if (o.name == output) return &o;
  }
  return nullptr;
}

QString set_to(const acquire::OutputState& o) {
  if (!(o.voltage > 0) && !(o.current_limit > 0)) return tr("measures only");
  QString out = qs(with_prefix(o.voltage, "V", 3));
  if (o.current_limit > 0)
    out += (o.cut_off ? tr(", trips at %1") : tr(", limits at %1"))
               .arg(qs(with_prefix(o.current_limit, "A", 3)));
  return out;
}

WireLine::Drawing drawing_of(const BenchState& s, bool on) {
  using Drawing = WireLine::Drawing;
  using Phase = BenchState::Phase;
  switch (s.phase) {
    case Phase::none:
      return Drawing::unconnected;
    case Phase::connecting:
      return Drawing::connecting;
    case Phase::lost:
      return Drawing::silent;
    case Phase::recording:
      if (!s.away.empty()) return Drawing::unknown;
      break;
    case Phase::ready:
      if (s.output.silent_s > 2) return Drawing::silent;
      break;
  }
  return on ? Drawing::on : Drawing::off;
}

QString state_text(const WireFacts& f, const WireLine& line) {
  switch (line.drawing) {
    case WireLine::Drawing::unconnected:
      return tr("not connected");
    case WireLine::Drawing::connecting:
      return tr("connecting…");
    case WireLine::Drawing::unknown:
      return tr("may be on");
    case WireLine::Drawing::silent:
      return f.silent_since.isEmpty() ? tr("silent") : tr("silent since %1").arg(f.silent_since);
    default:
      return {};
  }
}

QString source_warning(const WireFacts& f, const acquire::OutputState& o) {
  const auto ceiling = f.ceilings.find(o.name);
  if (f.peak_limit && o.current_limit > 0 && *f.peak_limit > o.current_limit)
    return tr("the budget allows peaks of %1: over the limit of %2")
        .arg(qs(with_prefix(*f.peak_limit, "A", 3)), qs(with_prefix(o.current_limit, "A", 3)));
  if (o.voltage > 0 && (ceiling == f.ceilings.end() || !ceiling->second.any()))
    return tr("no ceiling set");
  return {};
}

WireLine line_of_output(const WireFacts& f, const std::string& name, bool on, bool several) {
  const BenchState& s = f.state;
  WireLine line;
  line.output = qs(name);
  line.was_on = on;
  line.drawing = drawing_of(s, on);
  line.state_text = state_text(f, line);
  line.source.id = QStringLiteral("source:") + line.output;
  const bool joined = !s.output.joined.empty() && name == s.output.joined;
  QString title = joined    ? tr("outputs %1 %2").arg(line.output, qs(s.output.joined_how))
                  : several ? tr("output %1").arg(line.output)
                            : model_of(s.output.identity);
  const acquire::OutputState* set = settings_of(s, name);
  if (set) {
    title += QStringLiteral(" · ") + set_to(*set);
    line.source.warning = source_warning(f, *set);
  }
  line.source.title = title;
  QStringList reads;
  for (const Quantity quantity : {Quantity::current, Quantity::voltage}) {
    if (const auto* c = channel_of_output(s, name, quantity)) reads << reading_text(*c);
  }
  if (f.time_scale != 1 || f.simulated)
    reads << (f.time_scale != 1 ? tr("simulated, %1 × time").arg(f.time_scale) : tr("simulated"));
  line.source.reading = reads.isEmpty() ? QStringLiteral("–") : reads.join(QStringLiteral(" · "));
  if (line.drawing == WireLine::Drawing::on) line.switch_text = tr("Switch off");
  if (line.drawing == WireLine::Drawing::off)
    line.switch_text = set && set->voltage > 0
                           ? tr("Switch on %1").arg(qs(with_prefix(set->voltage, "V", 3)))
                           : tr("Switch on");
  if (const auto pencil = f.pencils.find(name); pencil != f.pencils.end())
    line.pencil = pencil->second;
  return line;
}

/// Without an output of ours: what feeds the device is somebody else's.
WireLine line_from_elsewhere(const WireFacts& f) {
  WireLine line;
  line.drawing = f.state.phase == BenchState::Phase::none && f.wiring.others.isEmpty()
                     ? WireLine::Drawing::unconnected
                     : WireLine::Drawing::elsewhere;
  line.source = {Station::Kind::source, QStringLiteral("source:"), {}, {}, {}};
  if (line.drawing == WireLine::Drawing::unconnected) {
    line.source.title = tr("Nothing connected");
    line.source.reading = tr("choose what is plugged in, or type an address");
  } else {
    line.source.title = tr("Fed by something else");
    line.source.reading = tr("no output of ours");
  }
  return line;
}

WireLine line_to_be(const WireFacts& f) {
  WireLine line;
  line.drawing = drawing_of(f.state, false);
  line.state_text = state_text(f, line);
  line.source = {
      Station::Kind::source,
      QStringLiteral("source:"),
      place_of(f.wiring.output),
      f.state.phase == BenchState::Phase::lost ? qs(f.state.output.trouble) : line.state_text,
      {}};
  return line;
}

QList<Station> path_of(const WireFacts& f) {
  QList<Station> out;
  const double supply = f.state.output.set.empty() ? 0 : f.state.output.set.front().voltage;
  for (const auto& [channel, shunt] : f.shunts) {
    // One of another day's wiring lies in no path of today's.
    const auto& live = f.state.channels;
    if (!live.empty() && std::none_of(live.begin(), live.end(),
                                      [&name = channel](const auto& c) { return c.name == name; }))
      continue;
    Station s{Station::Kind::path,
              QStringLiteral("path:") + qs(channel),
              tr("shunt %1").arg(qs(with_prefix(shunt.ohms, "Ω", 3))),
              QStringLiteral("–"),
              {}};
    for (const acquire::LiveChannel& c : f.state.channels) {
      if (c.name != channel) continue;
      // What is watched may still be the drop itself.
      const double amperes = c.quantity == Quantity::voltage ? c.max / shunt.ohms : c.max;
      const double drop = std::fabs(amperes * shunt.ohms), watts = amperes * amperes * shunt.ohms;
      s.reading =
          tr("drops %1, %2").arg(qs(with_prefix(drop, "V", 3)), qs(with_prefix(watts, "W", 3)));
      if (shunt.rating && watts > *shunt.rating)
        s.warning = tr("over its rating of %1").arg(qs(with_prefix(*shunt.rating, "W", 3)));
      else if (supply > 0 && drop > kMuch * supply)
        s.warning = tr("drops %1 % of the supply").arg(100 * drop / supply, 0, 'f', 0);
    }
    if (f.peak_limit && shunt.rating &&
        *f.peak_limit * *f.peak_limit * shunt.ohms > *shunt.rating && s.warning.isEmpty())
      s.warning = tr("the budget's peak of %1 is over its rating")
                      .arg(qs(with_prefix(*f.peak_limit, "A", 3)));
    out << s;
  }
  if (out.isEmpty() && !f.state.channels.empty())
    out << Station{Station::Kind::add, QStringLiteral("path:"), tr("+ shunt"), {}, {}};
  return out;
}

QString ago(double seconds) {
  if (seconds < 1.5) return tr("last line now");
  return tr("last line %1 ago")
      .arg(seconds < 120 ? tr("%1 s").arg(std::floor(seconds))
                         : qs(time_text(std::floor(seconds), 0)));
}

void add_listeners(const WireFacts& f, WirePlan& plan) {
  const BenchState& s = f.state;
  const bool there = s.phase == BenchState::Phase::ready || s.phase == BenchState::Phase::recording;
  if (!f.wiring.log.isEmpty()) {
    plan.listeners << Station{Station::Kind::listener, QStringLiteral("log"), tr("device's log"),
                              !there              ? tr("not connected")
                              : s.log_no_text     ? tr("no text")
                              : f.last_line_ago_s ? ago(*f.last_line_ago_s)
                                                  : tr("no line yet"),
                              there && s.log_no_text ? tr("try another speed") : QString()};
  }
  if (!f.logic.isEmpty() && !f.wiring.output.isEmpty())
    plan.listeners << Station{Station::Kind::listener,
                              QStringLiteral("logic"),
                              tr("logic lines"),
                              f.logic.join(QStringLiteral(", ")),
                              {}};
  for (const QString& address : f.wiring.others) {
    Station station{Station::Kind::listener,
                    QStringLiteral("input:") + address,
                    place_of(address),
                    tr("not connected"),
                    {}};
    for (const acquire::InputState& other : s.others) {
      if (qs(other.address) != address) continue;
      if (!other.identity.empty()) station.title = model_of(other.identity);
      if (asks_for_columns(other)) {
        station.reading = tr("what are its columns?");
        station.warning = tr("say it in its drawer");
      } else if (other.phase == acquire::LinkPhase::lost) {
        station.reading = tr("lost");
        // Its address stands in its drawer.
        station.warning = qs(other.trouble).section(QStringLiteral(": "), -1);
      } else {
        QStringList reads;
        for (const acquire::LiveChannel& c : other.channels) {
          const acquire::LiveChannel* now = there ? read_now(s, c) : nullptr;
          if (now && c.quantity != Quantity::logic && reads.size() < 2) reads << reading_text(*now);
        }
        station.reading =
            reads.isEmpty() ? tr("no reading yet") : reads.join(QStringLiteral(" · "));
      }
    }
    plan.listeners << station;
  }
  plan.listeners << Station{Station::Kind::add,
                            QStringLiteral("add"),
                            f.wiring.output.isEmpty() && f.wiring.others.isEmpty()
                                ? tr("What is plugged in?")
                                : tr("+ more"),
                            {},
                            {}};
}

}  // namespace

bool asks_for_columns(const acquire::InputState& input) {
  return input.phase == acquire::LinkPhase::lost && input.channels.empty() && !input.heard.empty();
}

QString reading_text(const acquire::LiveChannel& channel) {
  if (channel.out_of_range) return qs(describe(*channel.out_of_range));
  if (!std::isfinite(channel.last)) return QStringLiteral("–");
  return qs(with_prefix(channel.last, channel.unit, 4));
}

const acquire::LiveChannel* read_now(const BenchState& s, const acquire::LiveChannel& watched) {
  if (s.phase != BenchState::Phase::recording) return &watched;
  for (const acquire::LiveChannel& c : s.channels) {
    if (c.name == watched.name && c.observed_s > 0) return &c;
  }
  return nullptr;
}

const acquire::LiveChannel* channel_of_output(const BenchState& state, const std::string& output,
                                              Quantity quantity) {
  const auto& names = quantity == Quantity::current ? state.output.currents : state.output.voltages;
  const auto live = [&](const std::string& name) -> const acquire::LiveChannel* {
    for (const acquire::LiveChannel& c : state.channels) {
      if (c.name == name && c.quantity == quantity) return &c;
    }
    return nullptr;
  };
  if (!output.empty()) {
    for (const std::string& name : names) {
      if (name.ends_with(output)) return live(name);
    }
  }
  std::size_t place = 0;
  for (const auto& [name, on] : state.output.outputs) {
    if (name == output) return place < names.size() ? live(names[place]) : nullptr;
    ++place;
  }
  return names.empty() ? nullptr : live(names.front());
}

WirePlan wire_plan(const WireFacts& f) {
  WirePlan plan;
  const BenchState& s = f.state;
  std::vector<std::pair<std::string, bool>> outputs;
  for (const auto& o : s.output.outputs) {
    if (!is_auxiliary(s, o.first)) outputs.push_back(o);
  }
  const bool known = s.phase != BenchState::Phase::none && !s.output.identity.empty();
  if (f.wiring.output.isEmpty()) {
    plan.lines << line_from_elsewhere(f);
  } else if (!known || outputs.empty()) {
    WireLine line = line_to_be(f);
    if (known) {  // an instrument without an output
      line = line_from_elsewhere(f);
      line.drawing = WireLine::Drawing::elsewhere;
      line.source.title = tr("Fed by something else");
      line.source.reading = tr("%1 only measures").arg(model_of(s.output.identity));
    }
    plan.lines << line;
  } else {
    for (const auto& [name, on] : outputs)
      plan.lines << line_of_output(f, name, on, outputs.size() > 1);
  }
  plan.lines.front().path = path_of(f);
  plan.device = {Station::Kind::device,
                 QStringLiteral("device"),
                 f.board.isEmpty() ? tr("device") : f.board,
                 f.build.isEmpty() ? tr("which build?") : f.build,
                 {}};
  add_listeners(f, plan);
  return plan;
}

const Station* WirePlan::find(const QString& id) const {
  for (const WireLine& line : lines) {
    if (line.source.id == id) return &line.source;
    for (const Station& s : line.path) {
      if (s.id == id) return &s;
    }
  }
  if (device.id == id) return &device;
  for (const Station& s : listeners) {
    if (s.id == id) return &s;
  }
  return nullptr;
}

QStringList WirePlan::inWords() const {
  QStringList out;
  for (const WireLine& line : lines) {
    QStringList words{line.source.title + QStringLiteral(": ") + line.source.reading};
    if (!line.state_text.isEmpty()) words << line.state_text;
    if (line.drawing == WireLine::Drawing::on) words << tr("on");
    if (line.drawing == WireLine::Drawing::off) words << tr("off");
    if (!line.pencil.isEmpty()) words << line.pencil;
    for (const Station& s : line.path) {
      if (s.kind != Station::Kind::add) words << s.title + QLatin1Char(' ') + s.reading;
    }
    words << device.title + QLatin1Char(' ') + device.reading;
    out << words.join(QStringLiteral(" → "));
  }
  for (const Station& s : listeners) {
    if (s.kind == Station::Kind::add) continue;
    out << s.title + QStringLiteral(": ") + s.reading +
               (s.warning.isEmpty() ? QString() : QStringLiteral(", ") + s.warning);
  }
  return out;
}

}  // namespace kuvio::app
