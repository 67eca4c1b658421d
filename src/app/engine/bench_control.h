// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/bench_setup.h"
#include "acquire/input_monitor.h"
#include "acquire/output_monitor.h"
#include "acquire/plugged_in.h"
#include "acquire/profile_check.h"
#include "acquire/recorder.h"
#include "acquire/sensor_settings.h"
#include "acquire/text_watch.h"
#include "app/engine/announced_services.h"
#include "app/engine/live_history.h"
#include "app/engine/strand.h"
#include "core/settling.h"

#include <QElapsedTimer>
#include <QObject>
#include <QProcess>
#include <QTimer>

#include <deque>
#include <memory>
#include <optional>
#include <set>

namespace kuvio::app {

/// What a recording is to be.
struct RecordRequest {
  std::string name, build;
  double seconds = 0;  ///< 0: until stopped
  double rate_hz = 1000;
  bool power_on = false, power_off = true;
  double power_apart_s = 0;  ///< between one output and the next
  /// Which outputs are powered on, by name; empty: the first.
  std::vector<std::string> power_outputs;
  bool record_voltage = true;
  std::vector<std::string> logic;
  std::string accuracy;
  Conditions conditions;
  acquire::Trigger arm, until;  ///< what it begins and ends with, besides its length
  double before_s = 0;          ///< kept of what was before it was armed with
  double until_charge = 0;      ///< C; 0: however much
  std::optional<acquire::SwitchCommand> reset;    ///< of the device, as soon as it is recorded
  std::map<std::string, double> shunts;           ///< Ohm, by channel
  std::map<std::string, std::string> accuracies;  ///< by channel, as written
  std::string range;                              ///< of the output's first current; "": automatic
  /// What is recorded of an input, by its address; one that is not named here is recorded whole.
  std::map<std::string, std::vector<std::string>> channels;
};

/// Where the bench is reached, as addresses of kuvio-cli's --input.
struct Wiring {
  QString output, log;  ///< an empty log means none
  QStringList others;   ///< further inputs
  QString profile;      ///< file of an instrument profile; "" for those that ship
};

/// What is known of the bench right now; a snapshot for the interface.
struct BenchState {
  enum class Phase { none, connecting, ready, recording, lost };
  Phase phase = Phase::none;
  acquire::OutputMonitorState output;
  bool output_on = false;
  std::optional<double> current, voltage;  ///< as last read
  double min = 0, mean = 0, max = 0;       ///< of the last moments (A)
  std::string trouble;                     ///< of the last thing that went wrong
  // While recording:
  std::string name, build;
  double recorded_s = 0, wanted_s = 0;
  std::int64_t samples = 0, log_lines = 0, capture = 0;
  std::optional<std::uint64_t> disk_free;  ///< bytes where the book is
  double bytes_per_s = 0;                  ///< that the recording takes of it
  bool armed = false;                      ///< waiting for what it was armed with
  std::string away;  ///< why an input is out of reach while its link is tried again
  std::vector<acquire::LiveChannel> channels;  ///< of all inputs
  std::vector<acquire::InputState> others;     ///< inputs besides the output, while watched
  bool log_no_text = false;  ///< what the device's log says is no text: its speed may be another
  /// How far the current moved over the last five seconds, as a part of its mean; while watched.
  std::optional<double> drift;
  static constexpr double kDriftOver = 5, kSettled = 0.05;  ///< s; a part of the mean
};

/// The bench behind the window: watches the output while nothing is recorded, records into the open
/// book, sends to the device. It never switches an output on unless asked to. All talking to
/// equipment is done in other threads; every member returns at once.
class BenchControl : public QObject {
  Q_OBJECT
public:
  explicit BenchControl(QObject* parent = nullptr);
  ~BenchControl() override;

  /// Addresses as in kuvio-cli's --input; an empty log means none. What cannot be read is reported.
  void connectTo(const Wiring& wiring);
  const Wiring& wiring() const { return wiring_; }
  void disconnectAll();
  /// Whether an address is of the kind that is asked for; else why not, in words.
  static QString unfit(const Wiring& wiring);
  /// Connects anew to what is wired up, after a link was lost.
  void tryAgain();
  /// Runs the simulated bench that ships with Kuvio and connects to it.
  /// `more`: with a digitiser and a meter beside the analyser. The build "perch" is the device of
  /// that name with its two outputs.
  void startSimulated(const QString& build, quint64 seed, double speed, bool more = false);
  const QString& outputAddress() const { return wiring_.output; }
  const QString& logAddress() const { return wiring_.log; }
  bool simulated() const { return process_ && process_->state() != QProcess::NotRunning; }
  /// The accuracy statement of the simulated bench; "" for others.
  QString knownAccuracy() const;

  /// What an output is never set above. What lies over it is refused here, whoever asks.
  void setCeiling(const QString& output, const acquire::Ceiling& ceiling);
  acquire::Ceiling ceiling(const QString& output) const;

  /// Of the output of that name; "": the first one.
  void setVoltage(double volts, const QString& output = {});
  void setCurrentLimit(double amperes, const QString& output = {});
  void setCutOff(bool cut_off, const QString& output = {});
  /// "": the first output on, or all of them off.
  void switchOutput(bool on, const QString& output = {});
  /// An output, a digital line, or the device's reset.
  void execute(const acquire::SwitchCommand& what);
  void send(const QString& line);

  /// Looks for what is plugged in, and listens to what announces itself; opens nothing and sends
  /// nothing. Reported by `pluggedIn` and `announcedChanged`.
  void lookAround();
  const std::vector<Announced>& announced() const { return announced_.all(); }

  /// Reads a bench set-up; reported by `setupRead`.
  void readSetup(const QString& file);
  /// Connects to what a set-up has wired up. What it sets outputs to is set once they are reached
  /// and off; what the desk has no field for is kept for the recordings.
  void useSetup(const acquire::BenchSetup& setup);
  /// Writes what a recording by `request` would be set up with; reported by `setupSaved`.
  void saveSetup(const QString& file, const QString& name, const RecordRequest& request);
  const std::optional<acquire::BenchSetup>& setup() const { return setup_; }

  void setBook(const QString& path);
  void record(const RecordRequest& request);
  /// The same from power-on, whatever the first output was: it is switched off if it is on, and
  /// what it feeds has two seconds to empty. What it asks of the output and does not get ends it,
  /// reported by `failed`.
  void recordFromOff(const RecordRequest& request);
  bool waitingForOff() const { return after_off_.has_value(); }
  bool firstOutputOn() const;
  void stop();
  /// A mark at this moment of the recording.
  void mark(const QString& note);
  /// An armed recording begins at once.
  void beginNow();
  /// Measures the zero of the output's current, device disconnected; reported by `zeroed`.
  void zero(double seconds, const QString& accuracy);
  /// Reads what a kernel sensor's driver lets people set; reported by `sensorRead`.
  void readSensor(const QString& address);
  /// Sets one of these; reported by `sensorRead` with what the driver made of it, or `failed`.
  void setSensor(const QString& address, const acquire::SensorSetting& setting, double value);
  /// Sends every command of a profile to the output; reported by `profileTried`.
  void tryProfile(const QString& address, const QString& file);
  bool recording() const { return state_.phase == BenchState::Phase::recording; }
  const BenchState& state() const { return state_; }
  /// What all channels read lately, on the device's time.
  const LiveHistory& history() const { return history_; }
  /// Device seconds a second: of a simulated bench that runs faster than real.
  double timeScale() const;
  /// What was last said on an instrument's wire, and answered.
  std::vector<acquire::Exchange> talk(const QString& address) const;
  /// How long ago the device's log had its last line (device seconds); nothing before the first.
  std::optional<double> lastLineAgo() const;
  /// Mean current over the last `seconds`, of capture time while recording.
  std::optional<double> average(double seconds) const;

signals:
  void changed();
  void line(const QString& text, bool sent);
  void connected();
  void recordingBegan(qint64 capture);
  /// It ended; `interrupted` when an input died. `message` says how, for people.
  void recordingEnded(qint64 capture, bool interrupted, const QString& message);
  void failed(const QString& message);
  /// There is no book to record into: `then` goes on once there is one.
  void bookWanted(const std::function<void()>& then);
  /// A setting was refused: what the fields show must be what the output has.
  void settingsRefused();
  /// `text` says what the zero is, or why there is none.
  void zeroed(bool good, const QString& text);
  void setupRead(const acquire::BenchSetup& setup);
  void setupSaved(const QString& file);
  void pluggedIn(const std::vector<acquire::PluggedIn>& found);
  void announcedChanged();
  void sensorRead(const QString& address, const std::vector<acquire::SensorSetting>& settings);
  void profileTried(const std::vector<acquire::CheckStep>& steps, const QString& trouble);

private:
  void poll();
  void pollInputs();
  void releaseLinks();
  void watch(std::shared_ptr<acquire::OutputMonitor> kept = {});
  bool refusesToSwitchOn(const acquire::SwitchCommand& what);
  void openLinks();
  void keepHistory();
  void forgetUnplugged();
  double watchedNow() const;
  std::shared_ptr<acquire::TalkLog> talkOf(const std::string& address);
  void noteLine(const QString& text, bool sent);
  void startRecording(const RecordRequest& request);
  void waitForOff();
  acquire::RecordSettings settingsFor(const RecordRequest& request) const;
  acquire::InputSettings settingsOf(const acquire::Endpoint& endpoint,
                                    const RecordRequest& request) const;
  void setAsSetUp();
  void watchDrift();
  void progress(const acquire::RecordProgress& p);
  void ended(const acquire::RecordResult& result, const QString& trouble);
  void readProcess();
  void queryDiskSpace();

  Wiring wiring_;
  std::vector<acquire::Profile> profiles_;
  struct Watched {
    std::string address;
    std::shared_ptr<acquire::InputMonitor> monitor;
  };
  std::vector<Watched> watches_;  // of the inputs besides the output
  int opening_ = 0;               // which of the times that links are being opened
  AnnouncedServices announced_;
  LiveHistory history_;
  QElapsedTimer watched_, last_line_;
  double history_base_s_ = 0;  // where what is being watched or recorded begins on its axis
  std::map<std::string, std::shared_ptr<acquire::TalkLog>> talk_;  // by address
  std::map<std::string, acquire::Ceiling> ceilings_;               // by output
  std::map<std::string, book::Calibration> zeros_;
  std::map<std::string, std::string> zero_accuracies_;
  std::vector<acquire::Endpoint> learned_;  // of the other inputs, for the recording
  QString book_;
  BenchState state_;
  std::shared_ptr<acquire::OutputMonitor> monitor_;
  std::shared_ptr<acquire::RecordControl> control_;
  std::map<std::string, acquire::OutputSettings> set_;  // by output
  int refusals_seen_ = 0;
  std::optional<acquire::BenchSetup> setup_;
  bool setup_pending_ = false;  // its outputs are not yet set
  bool taking_setup_ = false;   // it connects itself
  acquire::TextWatch log_text_;
  SteadyWatch drift_{BenchState::kDriftOver, BenchState::kSettled, 0};
  double drift_seen_s_ = 0;
  bool lost_reported_ = false;      // that the link is lost
  std::set<std::string> reported_;  // of this recording, as it went
  std::optional<std::stop_source> stop_;
  std::optional<RecordRequest>
      after_off_;  // to be recorded once the output has been off long enough
  QTimer off_;
  QElapsedTimer off_asked_, off_since_;
  struct Mark {
    double at_s = 0, charge = 0, observed_s = 0;
  };
  std::deque<Mark> marks_;
  QTimer look_;
  QProcess* process_ = nullptr;  // the simulated bench, if it was started here
  Strand::Failed reporting();
  MainThread main_thread_;
  std::unique_ptr<Strand> recorder_, helper_;
};

}  // namespace kuvio::app
