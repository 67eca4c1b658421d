// SPDX-License-Identifier: GPL-3.0-or-later
// What stands between the desks and the book, each part by itself.

#include "app/engine/analyst.h"
#include "app/engine/desk_views.h"
#include "app/engine/documents.h"
#include "app/engine/fills.h"
#include "app/engine/places.h"
#include "app/engine/preferences.h"
#include "app/engine/session.h"
#include "app/engine/trace_views.h"

#include "desk_fixture.h"
#include "wait_for.h"

#include <QSettings>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

Visit visit(const char* state, double from_s, double to_s) {
  Visit out;
  out.state = state;
  out.from_s = from_s;
  out.to_s = to_s;
  return out;
}

constexpr const char* kDuty =
    "kuvio = \"duty/1\"\nname = \"field\"\nrest = \"Hibernate\"\n"
    "[[activity]]\nstates = [\"Uplink\"]\nper = \"1 /h\"\n";

}  // namespace

TEST_CASE("fills: the most time keeps quiet, states keep theirs whatever came first") {
  const std::string recipe =
      "kuvio = \"recipe/1\"\nname = \"r\"\n"
      "[[state]]\nname = \"A\"\nlevel = { below = \"1 mA\" }\n"
      "[[state]]\nname = \"B\"\nlevel = { above = \"1 mA\" }\n"
      "[[state]]\nname = \"C\"\nlevel = { above = \"1 A\" }\n";
  const Visits ab{visit("A", 0, 1), visit("B", 1, 9)}, ba{visit("B", 0, 8), visit("A", 8, 9)};
  const Fills one = fills_for(recipe, ab);
  CHECK(one.at("B") == 0);  // the longest
  CHECK(one == fills_for(recipe, ba));
  CHECK(one.size() == 3);  // C too, though nothing visits it
  std::set<std::size_t> each;
  for (const auto& [state, fill] : one) each.insert(fill);
  CHECK(each.size() == 3);
  // Off and Unassigned are no states of the device, however long they are.
  const Fills rest = fills_for(
      recipe, {visit("Off", 0, 100), visit("Unassigned", 100, 300), visit("A", 300, 301)});
  CHECK(rest.at("A") == 0);
  // A recipe that can't be read does not take the colours away.
  // A state that is renamed keeps its fill, a new one takes one that is free.
  std::vector<StateRule> rules(4);
  for (std::size_t k = 0; k < 4; ++k)
    rules[k].name = std::vector<const char*>{"A", "New", "C", "Newer"}[k];
  CHECK(fills_for(rules, {{"A", 0}, {"B", 1}, {"C", 2}}) ==
        Fills{{"A", 0}, {"New", 1}, {"C", 2}, {"Newer", 3}});
  const Fills broken = fills_for("kuvio = \"recipe/1\"\n[[state", ab);
  CHECK(broken.at("B") == 0);
  CHECK(broken.at("A") != 0);
}

TEST_CASE("preferences come back as they were kept, and a first start has its own") {
  QSettings().clear();
  const Preferences first = Preferences::load();
  CHECK(first.unit == QStringLiteral("C"));
  CHECK(first.look == Preferences::Look::system);
  CHECK(first.recent.isEmpty());
  Preferences kept = first;
  kept.look = Preferences::Look::night;
  kept.geometry = QByteArray("\x01\xd9\xd0\xcb\x00\x03", 6);
  kept.unit = QStringLiteral("Ah");
  kept.times_in_seconds = true;
  kept.voltages = {QStringLiteral("3.6 V"), QStringLiteral("3 V")};
  kept.shunts = {QStringLiteral("I_shunt: 0.1 Ohm; 0.25 W; 1 %")};
  kept.ceilings = {QStringLiteral("scpi+tcp://[::1]:5025 |  | 3.9 V | 0.45 A")};
  kept.conditions = {QStringLiteral("board=satchel-07, \"blue\"")};
  for (int i = 0; i < 12; ++i) kept.remember(QStringLiteral("/b/%1.kuvio").arg(i % 10));
  CHECK(kept.recent.size() == 8);
  CHECK(kept.recent.front() == QStringLiteral("/b/1.kuvio"));
  CHECK(kept.recent.count(QStringLiteral("/b/0.kuvio")) == 1);
  {
    PreferenceKeeper keeper;
    Preferences before = kept;
    before.unit = QStringLiteral("J");
    keeper.save(before);
    keeper.save(kept);  // the newest counts, also when the program ends now
  }
  const Preferences back = Preferences::load();
  CHECK(back.look == Preferences::Look::night);
  CHECK(back.geometry == kept.geometry);
  CHECK(back.unit == QStringLiteral("Ah"));
  CHECK(back.times_in_seconds);
  CHECK(back.shunts == kept.shunts);
  CHECK(back.voltages == kept.voltages);
  CHECK(back.ceilings == kept.ceilings);
  CHECK(back.conditions == kept.conditions);
  CHECK(back.recent == kept.recent);
  QSettings().clear();
}

TEST_CASE("documents have a place, if need be the home folder") {
  const QString folder = documents_folder();
  CHECK(QFileInfo(folder).isDir());
  CHECK(QFileInfo(folder).isWritable());
}

namespace {

/// A book's documents without a window.
struct Papers {
  Made made;
  Session session;
  Documents documents{session};

  Papers() {
    session.open(QString::fromStdString(made.path));
    REQUIRE(wait([&] { return session.book() != nullptr; }));
  }
  static bool wait(const std::function<bool()>& done) { return test::wait_for(done); }
};

}  // namespace

TEST_CASE("a document that is not valid changes nothing and says where; a valid one is undoable") {
  Papers o;
  Documents& documents = o.documents;
  QSignalSpy refused(&documents, &Documents::refused);
  CHECK_FALSE(documents.find(DocumentKind::duty));
  CHECK(documents.get(DocumentKind::duty).text.empty());
  CHECK_FALSE(documents.put(DocumentKind::duty,
                            "kuvio = \"duty/1\"\nname = \"a\"\nrest = \"H\"\n"
                            "[[activity]]\nstates = [\"U\"]\nper = \"often\"\n",
                            QStringLiteral("typed")));
  REQUIRE(refused.size() == 1);
  INFO(refused.front().at(1).toString().toStdString());
  CHECK(refused.front().at(1).toString().contains(QStringLiteral(":6: ")));
  CHECK_FALSE(documents.find(DocumentKind::duty));

  CHECK(documents.put(DocumentKind::duty, kDuty, QStringLiteral("typed")));
  REQUIRE(o.wait([&] { return documents.find(DocumentKind::duty) != nullptr; }));
  CHECK(documents.find(DocumentKind::duty)->text == kDuty);
  CHECK(documents.whereabouts(DocumentKind::duty).endsWith(QStringLiteral(", in the book only")));

  // Saved, it has a path; changed after that, it says so.
  const QString file = QString::fromStdString(o.made.folder / "field.duty.toml");
  documents.saveAs(DocumentKind::duty, documents.get(DocumentKind::duty), file);
  REQUIRE(o.wait([&] { return documents.whereabouts(DocumentKind::duty) == file; }));
  QFile saved(file);
  REQUIRE(saved.open(QIODevice::ReadOnly));
  CHECK(saved.readAll().toStdString() == kDuty);
  CHECK(
      documents.put(DocumentKind::duty, std::string(kDuty) + "# later\n", QStringLiteral("typed")));
  REQUIRE(o.wait([&] {
    return documents.whereabouts(DocumentKind::duty)
        .endsWith(QStringLiteral("changed and not saved"));
  }));
  for (int i = 0; i < 3; ++i) {
    o.session.history()->undo();
    QTest::qWait(50);
  }
  REQUIRE(o.wait([&] { return documents.find(DocumentKind::duty) == nullptr; }));
}

TEST_CASE("a budget that is opened brings what it names, and nothing where one is not valid") {
  Papers o;
  Documents& documents = o.documents;
  o.made.folder.write("field.duty.toml", kDuty);
  std::filesystem::copy_file(std::string(KUVIO_SOURCE) + "/examples/satchel.recipe.toml",
                             o.made.folder / "satchel.recipe.toml");
  const std::string budget = o.made.folder.write(
      "limits.budget.toml",
      "kuvio = \"budget/1\"\nname = \"limits\"\nrecipe = \"satchel.recipe.toml\"\n"
      "[[limit]]\nfield = true\nduty = \"field.duty.toml\"\nmean_current = { max = \"40 uA\" }\n");
  QSignalSpy opened(&documents, &Documents::opened);
  QStringList failed;
  QObject::connect(&o.session, &Session::failed, [&](const QString& t) { failed << t; });
  documents.open(DocumentKind::budget, QString::fromStdString(budget));
  const bool came = !opened.isEmpty() || opened.wait(5000);
  INFO(failed.join(QStringLiteral("; ")).toStdString());
  REQUIRE(came);
  REQUIRE(o.wait([&] { return documents.find(DocumentKind::duty) != nullptr; }));
  CHECK(documents.find(DocumentKind::budget)->name == "limits.budget.toml");
  CHECK(documents.find(DocumentKind::duty)->text == kDuty);
  // One that names a file which is none: the budget that was there stays.
  const std::string other = o.made.folder.write(
      "other.budget.toml",
      "kuvio = \"budget/1\"\nname = \"other\"\nrecipe = \"satchel.recipe.toml\"\n"
      "[[limit]]\nfield = true\nduty = \"gone.duty.toml\"\nmean_current = { max = \"40 uA\" }\n");
  documents.open(DocumentKind::budget, QString::fromStdString(other));
  REQUIRE(o.wait([&] { return !failed.isEmpty(); }));
  CHECK_THAT(failed.front().toStdString(), Catch::Contains("gone.duty.toml"));
  CHECK(opened.size() == 1);
  CHECK(documents.find(DocumentKind::budget)->name == "limits.budget.toml");
}

TEST_CASE("what cannot be worked out is said in the view, and an answer given up is none") {
  Made made;
  Analyst analyst(QString::fromStdString(made.path));
  const auto go_on = [] { return true; };
  const auto builds = analyst.builds({"1.0", "1.1", {}}, go_on);
  REQUIRE(builds);
  CHECK(builds->trouble.empty());
  CHECK_FALSE(builds->comparison.rows.empty());
  const auto strange = analyst.builds({"1.0", "9.9", {}}, go_on);
  REQUIRE(strange);
  CHECK_FALSE(strange->trouble.empty());
  // The same capture against itself lies at no offset.
  const auto line_up = analyst.lineUp(made.capture, made.capture, go_on);
  CHECK(line_up.offset_s == Approx(0).margin(1e-3));
  // From 8.84 s to 12.84 s it draws 28 mA, and nothing else lies in the span.
  SpreadRequest request;
  request.capture = made.capture;
  request.from_s = 9;
  request.to_s = 12;
  for (int i = 0; i <= 60; ++i) request.bins.edges.push_back(1e-3 * std::pow(10, i / 20.0));
  const auto spread = analyst.spread(request, go_on);
  REQUIRE(spread);
  CHECK(spread->final);
  CHECK(spread->levels[0] == Approx(28e-3).epsilon(0.01));
  CHECK_FALSE(analyst.spread(request, [] { return false; }));
}
