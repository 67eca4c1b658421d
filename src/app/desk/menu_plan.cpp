// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desk/menu_plan.h"

#include <QCoreApplication>
#include <QHash>

namespace kuvio::app {
namespace {

using N = Needs;

const std::vector<std::vector<Menu>> kPlan = {
    {{QT_TRANSLATE_NOOP("Menus", "Book"),
      {{{"newBook", N::no_recording, "create file project"},
        {"openBook", N::no_recording, "load file"},
        {"recent", N::no_recording, "last reopen history"},
        {"importLogs", N::no_recording, "csv text log load tsv open data file read"},
        {"example", N::no_recording, "demo sample tutorial"}},
       {{"copyBook", N::book, "save as backup duplicate"},
        {"copyWithoutDeleted", N::deleted, "shrink compact smaller purge space room file"},
        {"exportSamples", N::capture, "csv hdf5 vcd json save data samples"},
        {"exportPicture", N::capture, "print png svg pdf image screenshot plot"}},
       {{"quit", N::nothing, "exit close leave"}}}},
     {QT_TRANSLATE_NOOP("Menus", "Edit"),
      {{{"undo", N::undo, "back revert"}, {"redo", N::redo, "again repeat"}},
       {{"copyReadOut", N::nothing, "clipboard sentence figures"},
        {"copyLedger", N::states, "clipboard table spreadsheet csv"},
        {"copySpan", N::span, "clipboard table spreadsheet csv"},
        {"copySpread", N::capture, "clipboard histogram spreadsheet percentiles"},
        {"copyTrace", N::capture, "clipboard image screenshot"}},
       {{"find", N::nothing, "command search palette"}}}},
     {QT_TRANSLATE_NOOP("Menus", "Captures"),
      {{{"nextCapture", N::more_captures, "following"},
        {"previousCapture", N::more_captures, "before"}},
       {{"tickCapture", N::capture, "overlay compare together tick"},
        {"giveReference", N::chosen, "baseline compare against"},
        {"lineUp", N::overlay, "align shift offset synchronise"}},
       {{"renameCapture", N::chosen, "name title"},
        {"describeCapture", N::chosen, "conditions board tester temperature note comment build"},
        {"typeReadings", N::book, "add hand reading meter eye manual enter value by hand"},
        {"deleteCapture", N::chosen, "remove"},
        {"restoreCaptures", N::deleted, "undelete trash"}}}}},
    {{QT_TRANSLATE_NOOP("Menus", "View"),
      {{{"showAll", N::capture, "everything fit zoom out full"},
        {"zoomSpan", N::span_or_visit, "fit selection"},
        {"zoomIn", N::capture, "magnify closer"},
        {"zoomOut", N::capture, "wider"},
        {"panLeft", N::capture, "scroll before"},
        {"panRight", N::capture, "scroll after"},
        {"viewBack", N::earlier_view, "history undo zoom"},
        {"viewForward", N::later_view, "history redo zoom"},
        {"returnLive", N::live, "end now follow newest"}},
       {{"goToTime", N::capture, "jump moment position"},
        {"nextMark", N::marks, "jump bookmark"},
        {"previousMark", N::marks, "jump bookmark"},
        {"nextGap", N::breaks, "missing lost over range"},
        {"previousGap", N::breaks, "missing lost over range"},
        {"nextMatch", N::log, "find log line search again"},
        {"previousMatch", N::log, "find log line search"}},
       {{"showLog", N::capture, "lines console serial filter"},
        {"showRecipe", N::capture, "rules thresholds levels"},
        {"showChannels", N::capture,
         "calibrate zero offset shunt divider gain accuracy derived power product"},
        {"showSpread", N::capture, "distribution percentiles histogram"},
        {"toggleMargin", N::capture, "hide wide full side panel"}},
       {{"showLedger", N::states, "account table charge"},
        {"showVisits", N::states, "outlier odd unlike event byte cost regression distribution"},
        {"showTransitions", N::states, "order sequence grammar follow next reference new"},
        {"showWaits", N::states, "latency delay response time until after log mark edge"},
        {"showTroubles", N::states,
         "limit dip brown-out reset loop restart hang stuck supply voltage problems"}}}},
     {QT_TRANSLATE_NOOP("Menus", "Lanes"),
      {{{"nextLane", N::capture, "channel"},
        {"previousLane", N::capture, "channel"},
        {"laneUp", N::capture, "reorder channel"},
        {"laneDown", N::capture, "reorder channel"}},
       {{"hideLane", N::capture, "channel invisible"},
        {"showAllLanes", N::hidden_lanes, "channels unhide"},
        {"laneOver", N::capture, "join overlay channel"},
        {"laneApart", N::capture, "split separate channel"},
        {"capturesApart", N::overlay, "split separate"},
        {"chargeLane", N::capture, "integral cumulative coulomb derived"},
        {"meanLane", N::capture, "average smooth filter derived"},
        {"removeLane", N::derived_lane, "delete"}},
       {{"logScale", N::capture, "logarithmic linear axis decades"},
        {"scaleLinear", N::capture, "axis"},
        {"scaleLog", N::capture, "axis decades"},
        {"scaleBoth", N::capture, "axis negative through zero"},
        {"axisCapture", N::capture, "range autoscale"},
        {"axisSeen", N::capture, "range autoscale fit"},
        {"axisFixed", N::capture, "range minimum maximum limits"},
        {"fitValues", N::capture, "reset range autoscale"}}}},
     {QT_TRANSLATE_NOOP("Menus", "Span"),
      {{{"spanBegins", N::capture, "start selection left"},
        {"spanEnds", N::capture, "selection right"},
        {"spanVisit", N::visit, "selection"},
        {"spanCursors", N::cursors, "selection"},
        {"wholeCycles", N::nothing, "period snap mean"},
        {"clearSpan", N::nothing, "deselect none"}},
       {{"cursor1", N::capture, "marker"},
        {"cursor2", N::capture, "marker"},
        {"clearCursors", N::nothing, "markers remove"}},
       {{"nameSpan", N::span, "label rule classify state"},
        {"limitFromSpan", N::span_or_visit, "budget"}}}},
     {QT_TRANSLATE_NOOP("Menus", "States"),
      {{{"nextVisit", N::states, "step right"},
        {"previousVisit", N::states, "step left"},
        {"editVisit", N::visit, "rename state"},
        {"cutVisit", N::states, "split divide"},
        {"joinNext", N::visit, "merge"},
        {"joinPrevious", N::visit, "merge"},
        {"pinVisit", N::visit, "keep lock"},
        {"reviewEdits", N::edits, "hand changes list"}},
       {{"findStates", N::capture, "detect automatic split levels propose recipe"},
        {"fewerStates", N::states, "find merge levels coarser"},
        {"moreStates", N::states, "find levels finer"},
        {"newRecipe", N::capture, "rules detect"},
        {"openRecipe", N::book, "load rules"},
        {"saveRecipe", N::recipe, "rules"},
        {"applyRecipe", N::recipe, "run detect states"},
        {"applyRecipeAll", N::recipe, "run detect states every"}}}}},
    {{QT_TRANSLATE_NOOP("Menus", "Bench"),
      {{{"recordAction", N::nothing, "start capture measure acquire"},
        {"stopAction", N::recording, "end finish"},
        {"markAction", N::recording, "event note bookmark"},
        {"sendAction", N::nothing, "console serial command"}},
       {{"switchOn", N::output, "power supply output"},
        {"switchOff", N::output, "power supply output emergency"},
        {"resetAction", N::connected, "reboot restart"},
        {"zeroAction", N::connected, "offset tare null"}},
       {{"plugAction", N::nothing, "add instrument device serial port usb discover import"},
        {"simulateAction", N::no_recording, "demo simulator"},
        {"connectAction", N::nothing, "instruments link open"},
        {"tryProfileAction", N::nothing, "test check instrument"},
        {"chooseShunt", N::nothing, "burden voltage resistor range bits count full scale"}},
       {{"openSetupAction", N::no_recording, "load configuration"},
        {"saveSetupAction", N::nothing, "configuration"},
        {"nextPartAction", N::nothing, "focus keyboard"}}}},
     {QT_TRANSLATE_NOOP("Menus", "Budget"),
      {{{"limitsFromCapture", N::states, "baseline propose"}},
       {{"addLimitAction", N::book, "new row"},
        {"editLimitAction", N::limit, "edit"},
        {"removeLimitAction", N::limit, "delete"}},
       {{"openBudget", N::book, "load limits"},
        {"saveBudget", N::budget, "limits"},
        {"showBudgetFile", N::book, "source toml"}}}},
     {QT_TRANSLATE_NOOP("Menus", "Lifetime"),
      {{{"makePlanAction", N::scenario, "use keep what if"},
        {"resetScenarioAction", N::capture, "what if captured"}},
       {{"openDutyAction", N::book, "load use profile"},
        {"saveDutyAction", N::book, "use profile"}},
       {{"openBatteryAction", N::book, "load cell"}, {"saveBatteryAction", N::battery, "cell"}}}}},
    {{QT_TRANSLATE_NOOP("Menus", "Window"),
      {{{"goBench", N::nothing, "record instruments"},
        {"goTrace", N::nothing, "waveform ledger states"},
        {"goBuilds", N::nothing, "compare difference firmware"},
        {"goBudget", N::nothing, "limits verdict"},
        {"goLifetime", N::nothing, "battery life what if"}},
       {{"lookSystem", N::nothing, "theme colours dark light"},
        {"lookPaper", N::nothing, "theme colours bright day"},
        {"lookNight", N::nothing, "theme colours black"}},
       {{"textLarger", N::nothing, "font size bigger accessibility zoom"},
        {"textSmaller", N::nothing, "font size accessibility zoom"}},
       {{"nextUnit", N::nothing, "coulomb ampere hours watt joule"},
        {"timesInSeconds", N::nothing, "clock format notation"}}}},
     {QT_TRANSLATE_NOOP("Menus", "Help"),
      {{{"gestures", N::nothing, "keyboard shortcuts mouse keys manual"},
        {"about", N::nothing, "version licence license"}}}}},
};

QString translated(const char* text) { return QCoreApplication::translate("Menus", text); }

const QHash<QString, std::pair<const MenuEntry*, const Menu*>>& by_id() {
  static const auto all = [] {
    QHash<QString, std::pair<const MenuEntry*, const Menu*>> out;
    for (const auto& menus : menu_plan()) {
      for (const Menu& menu : menus) {
        for (const auto& group : menu.groups) {
          for (const MenuEntry& entry : group) out.insert(QLatin1String(entry.id), {&entry, &menu});
        }
      }
    }
    return out;
  }();
  return all;
}

}  // namespace

const std::vector<std::vector<Menu>>& menu_plan() { return kPlan; }

const MenuEntry* menu_entry(const QString& id) { return by_id().value(id).first; }

QString menu_title(const QString& id) {
  const Menu* menu = by_id().value(id).second;
  return menu ? translated(menu->title) : QString();
}

QString why_not(Needs needs) {
  switch (needs) {
    case N::nothing:
      return {};
    case N::undo:
      return translated("Nothing to undo.");
    case N::redo:
      return translated("Nothing to redo.");
    case N::book:
      return translated("No book is open.");
    case N::capture:
      return translated("No capture with samples is shown.");
    case N::chosen:
      return translated("No capture is shown.");
    case N::more_captures:
      return translated("The book holds no other capture.");
    case N::overlay:
      return translated("Tick a second capture first; they are drawn together.");
    case N::deleted:
      return translated("No capture was deleted.");
    case N::states:
      return translated("Split the capture into states first.");
    case N::visit:
      return translated("Select a visit first: click it in the states.");
    case N::span:
      return translated("Mark a span first: drag over the trace.");
    case N::span_or_visit:
      return translated("Mark a span or select a visit first.");
    case N::cursors:
      return translated("Set both cursors first: press 1 and 2 at the pointer.");
    case N::earlier_view:
      return translated("No earlier view.");
    case N::later_view:
      return translated("No later view.");
    case N::log:
      return translated("No device log in this capture.");
    case N::marks:
      return translated("No marks in this capture.");
    case N::breaks:
      return translated("No gaps or flagged samples in this capture.");
    case N::edits:
      return translated("No manual edits in this capture.");
    case N::recipe:
      return translated("The book has no recipe: open or make one first.");
    case N::hidden_lanes:
      return translated("No lane is hidden.");
    case N::derived_lane:
      return translated("Select a running charge or a rolling mean first.");
    case N::live:
      return translated("This capture is not being recorded.");
    case N::budget:
      return translated("The book has no budget: open or make one first.");
    case N::limit:
      return translated("Select a limit first.");
    case N::battery:
      return translated("The book has no battery: open one first.");
    case N::scenario:
      return translated("The scenario is as captured.");
    case N::connected:
      return translated("Connect the bench first.");
    case N::output:
      return translated("No connected instrument has an output to switch.");
    case N::recording:
      return translated("Nothing is being recorded.");
    case N::no_recording:
      return translated("Stop the recording first; it is being written to the open book.");
  }
  return {};
}

}  // namespace kuvio::app
