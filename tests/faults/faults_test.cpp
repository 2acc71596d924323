// SPDX-License-Identifier: Apache-2.0
// What a disk, a neighbour, a clock or the system may do to a run: what was whole stays whole, what
// was under way is absent or gone on from, and the message says so. docs/reliability.md lists them.
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <functional>
#include <nlohmann/json.hpp>
#include <thread>

#include "brace/io/files.hpp"
#include "support/results_file.hpp"
#include "support/run.hpp"

namespace brace::test {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;
using testing::AnyOf;
using testing::HasSubstr;

Outcome with_fault(const std::string& fault, const std::string& words) {
  return run("LD_PRELOAD='" BRACE_FAULTS "' " + fault + " '" BRACE_TOOL "' " + words);
}

std::string made_prices(const Folder& folder, int rows = 320) {
  std::string text = "date,price\n";
  double price = 100;
  for (int t = 0; t < rows; ++t) {
    price *= 1 + .012 * std::sin(1.7 * t) * std::cos(.9 * t * t) + .0004;
    text +=
        fmt::format("{}-{:02}-{:02},{:.4f}\n", 2020 + t / 336, 1 + t / 28 % 12, 1 + t % 28, price);
  }
  return folder.file("prices.csv", text);
}

void expect_said(const Outcome& o, const std::string& told) {
  EXPECT_THAT(o.err, HasSubstr("brace: ")) << told;
  EXPECT_EQ(o.err.find("unexpected"), std::string::npos) << told << o.err;
  EXPECT_LE(std::count(o.err.begin(), o.err.end(), '\n'), 4) << o.err;
}

// ---- Whole files: a saved model, CSV, figures, residuals ----

struct WholeFile {
  const char *name, *words, *file;
};
const WholeFile kWholeFiles[] = {
    {"saved model", "fit {0} --returns log --model 'const / garch' --save {1}", "m.json"},
    {"forecast as CSV", "forecast {0} --returns log --model 'const / garch' --draws 100 --out {1}",
     "f.csv"},
    {"residuals", "check {0} --returns log --model 'const ar1' --residuals {1}", "r.csv"},
    {"figure", "lags {0} --returns log --chart {1}", "l.svg"},
};

TEST(Faults, AFullDiskLeavesAFileAsItWasOrWhole) {
  for (const WholeFile& what : kWholeFiles)
    for (const bool there : {false, true}) {
      const Folder folder;
      const std::string prices = made_prices(folder), path = folder / what.file,
                        words = fmt::format(fmt::runtime(what.words), prices, path);
      ASSERT_EQ(brace(words).status, 0) << what.name;
      const std::string whole = content_of(path);
      bool done = false;
      for (int n = 1; n < 12 && !done; ++n) {
        fs::remove(path);
        if (there) (void)folder.file(what.file, "what was there before");
        const Outcome o = with_fault(fmt::format("FAULT_WRITE={}", n), words);
        done = o.status == 0;
        if (done) {
          EXPECT_EQ(content_of(path), whole) << what.name;
        } else {
          expect_said(o, fmt::format("{}, write {}", what.name, n));
          EXPECT_EQ(o.status, 1) << what.name;
          EXPECT_EQ(fs::exists(path), there) << what.name << ", write " << n;
          EXPECT_EQ(content_of(path), there ? "what was there before" : "") << what.name;
        }
        EXPECT_EQ(folder.entries(), (fs::exists(path) ? 2u : 1u))
            << what.name << ": nothing else is left, write " << n;
      }
      EXPECT_TRUE(done) << what.name << ": too many writes to try each";
    }
}

TEST(Faults, KilledAtAnyWriteLeavesAFileAsItWasOrWhole) {
  for (const WholeFile& what : kWholeFiles) {
    const Folder folder;
    const std::string prices = made_prices(folder), path = folder / what.file,
                      words = fmt::format(fmt::runtime(what.words), prices, path);
    ASSERT_EQ(brace(words).status, 0);
    const std::string whole = content_of(path);
    bool done = false;
    for (int n = 1; n < 12 && !done; ++n) {
      (void)folder.file(what.file, "what was there before");
      done = with_fault(fmt::format("FAULT_KILL={}", n), words).status == 0;
      EXPECT_THAT(content_of(path), AnyOf(whole, "what was there before"))
          << what.name << ", write " << n;
    }
    EXPECT_TRUE(done) << what.name;
  }
}

TEST(Faults, AFolderThatMayNotBeWrittenIsNamed) {
  const Folder folder;
  const std::string prices = made_prices(folder);
  for (const WholeFile& what : kWholeFiles) {
    const Outcome o =
        brace(fmt::format(fmt::runtime(what.words), prices, "/proc/" + std::string(what.file)));
    EXPECT_EQ(o.status, 1) << what.name;
    EXPECT_THAT(o.err, HasSubstr(std::string("/proc/") + what.file)) << what.name;
    EXPECT_THAT(o.err, HasSubstr("cannot be")) << what.name;
  }
}

// ---- What goes on: journals, studies, batch stores ----

// Runs with a fault at one write after another, and then without: the answer of an undisturbed run.
void expect_to_go_on(const std::string& name,
                     const std::function<std::string(const Folder&)>& words_in,
                     const std::function<std::string(const Folder&)>& answer_in,
                     const std::vector<int>& at) {
  const Folder calm;
  const Outcome whole = brace(words_in(calm));
  ASSERT_THAT(whole.status, AnyOf(0, 3)) << name << whole.err;
  const std::string want = answer_in(calm);
  for (const char* fault : {"FAULT_WRITE", "FAULT_KILL"})
    for (const int n : at) {
      const Folder folder;
      const std::string words = words_in(folder);
      const Outcome o = with_fault(fmt::format("{}={}", fault, n), words);
      if (o.status != whole.status && std::string(fault) == "FAULT_WRITE")
        expect_said(o, fmt::format("{}, {}={}", name, fault, n));
      const Outcome on = brace(words);
      EXPECT_EQ(on.status, whole.status) << name << ", " << fault << ' ' << n << ": " << on.err;
      EXPECT_EQ(answer_in(folder), want) << name << ", " << fault << ' ' << n;
    }
}

TEST(Faults, ABacktestGoesOnFromItsJournal) {
  expect_to_go_on(
      "journal",
      [](const Folder& f) {
        return "backtest " + made_prices(f) +
               " --returns log --model 'const ar1' --window 290 --journal " + (f / "j.jsonl") +
               " --out " + (f / "b.csv");
      },
      [](const Folder& f) { return content_of(f / "b.csv"); }, {1, 2, 3, 7, 20});
}

TEST(Faults, AStudyGoesOn) {
  expect_to_go_on(
      "study",
      [](const Folder& f) {
        made_prices(f);
        return "study " + f.file("s.toml",
                                 "[series]\nfile = \"prices.csv\"\nreturns = \"log\"\n[lags]\nlags "
                                 "= 5\n[fit]\nmodel = \"const / garch\"\n"
                                 "[forecast]\nmodel = \"const / garch\"\ndraws = 100\n");
      },
      [](const Folder& f) {
        std::string told =
            content_of(f / "s-results/forecast.json") + content_of(f / "s-results/fit.json");
        for (std::size_t at; (at = told.find(f / "")) != std::string::npos;)
          told.erase(at, (f / "").size());
        return told;
      },
      {1, 2, 3, 5, 8, 12, 17});
}

TEST(Faults, ABatchGoesOn) {
  expect_to_go_on(
      "batch",
      [](const Folder& f) {
        std::string text = "date,kelp,rope,tar\n";
        for (int t = 0; t < 90; ++t)
          text += fmt::format("{}-{:02}-{:02},{:.3f},{:.3f},{:.3f}\n", 2020, 1 + t / 28, 1 + t % 28,
                              100 + 5 * std::sin(t * .7), 50 + t * .1 + std::cos(t * 1.3),
                              80 + 3 * std::sin(t * t));
        return "batch " + f.file("wide.csv", text) +
               " --each column --returns log --model 'const ar1' --store " + (f / "r.sqlite");
      },
      [](const Folder& f) {
        return fmt::format("{}", fmt::join(all_results(f / "r.sqlite"), "\n"));
      },
      {1, 2, 4, 9, 17, 30});
}

// ---- Neighbours ----

TEST(Faults, AFileThatChangesWhileItIsReadIsRefused) {
  const Folder folder;
  const std::string prices = made_prices(folder, 9000);
  const Outcome o = with_fault("FAULT_READ=4 FAULT_FILE=" + prices, "inspect " + prices);
  EXPECT_EQ(o.status, 1) << o.out;
  EXPECT_THAT(o.err, HasSubstr("prices.csv: was changed while it was read"));
  EXPECT_EQ(brace("inspect " + prices).status, 0) << "what was appended is a row";
}

// A second writer of a journal or a study is told so; once the first has gone it is not.
TEST(Faults, ASecondWriterIsRefusedWhileTheFirstIsThere) {
  const Folder folder;
  const std::string prices = made_prices(folder), journal = folder / "j.jsonl",
                    results = folder / "s-results";
  fs::create_directory(results);
  const std::string study = folder.file(
      "s.toml", "[series]\nfile = \"prices.csv\"\nreturns = \"log\"\n[lags]\nlags = 5\n");
  for (const auto& [words, what] :
       {std::pair{"backtest " + prices +
                      " --returns log --model 'const ar1' --window 300 --journal " + journal,
                  journal},
        std::pair{"study " + study, results}}) {
    {
      const WriterLock first(what);
      const Outcome second = brace(words);
      EXPECT_EQ(second.status, 1) << second.out;
      EXPECT_THAT(second.err,
                  HasSubstr(what + ": another run is writing to it; wait until it has ended"));
    }
    EXPECT_EQ(brace(words).status, 0) << what;
  }
}

TEST(Faults, TwoWritersOfOneModelLeaveOneOfThemWhole) {
  const Folder folder;
  const std::string prices = made_prices(folder), path = folder / "m.json";
  const auto words = [&](const char* line) {
    return fmt::format("fit {} --returns log --model '{}' --save {}", prices, line, path);
  };
  for (int i = 0; i < 3; ++i) {
    std::thread other([&] { (void)brace(words("const / garch")); });
    (void)brace(words("const ar1"));
    other.join();
    EXPECT_EQ(brace("check " + path).status, 0);
  }
  EXPECT_EQ(folder.entries(), 2u) << "no temporary file is left";
}

// ---- The system ----

TEST(Faults, AClockThatJumpsChangesNothing) {
  const Folder folder;
  const std::string prices = made_prices(folder);
  for (const char* words : {"fit {} --returns log --model 'const / garch' --json",
                            "forecast {} --returns log --model 'const / garch' --draws 100 --json",
                            "backtest {} --returns log --model 'const ar1' --window 300 --json"}) {
    const std::string call = fmt::format(fmt::runtime(words), prices);
    const Outcome o = with_fault("FAULT_CLOCK=1", call);
    EXPECT_EQ(o.status, 0) << o.err;
    EXPECT_EQ(o.out, brace(call).out);
  }
}

TEST(System, LocaleTimeZoneAndTerminalChangeNothing) {
  const Folder folder;
  const std::string call =
      "forecast " + made_prices(folder) + " --returns log --model 'const / garch' --draws 100";
  const std::string want = brace(call).out;
  ASSERT_FALSE(want.empty());
  for (const char* environment :
       {"LC_ALL=de_DE.UTF-8 LANG=de_DE.UTF-8", "LC_ALL=tr_TR.UTF-8", "LC_ALL=C", "LC_ALL=none.such",
        "TZ=Asia/Kathmandu", "TZ=America/St_Johns", "TZ=:no/such/zone", "TERM=dumb",
        "TERM=", "COLUMNS=20", "HOME=/none TMPDIR=/none"}) {
    const Outcome o = run(std::string(environment) + " '" BRACE_TOOL "' " + call);
    EXPECT_EQ(o.status, 0) << environment << o.err;
    EXPECT_EQ(o.out, want) << environment;
  }
}

TEST(System, ClosedStreamsAndPipesEndInAWord) {
  const Folder folder;
  const std::string prices = made_prices(folder);
  const Outcome shut = run("'" BRACE_TOOL "' inspect " + prices + " >&-");
  EXPECT_EQ(shut.status, 1);
  EXPECT_THAT(shut.err, HasSubstr("standard output"));
  EXPECT_EQ(run("'" BRACE_TOOL "' inspect " + prices + " 2>&-").status, 0);
  EXPECT_EQ(run("'" BRACE_TOOL "' inspect - <&-").status, 1);
  // A reader that has seen enough: by the signal, or with a word where it is ignored.
  const Outcome cut = run("'" BRACE_TOOL "' season " + prices + " --period 7 --json | head -c 10");
  EXPECT_EQ(cut.out.size(), 10u);
  EXPECT_EQ(cut.err.find("unexpected"), std::string::npos) << cut.err;
  const Outcome ignored =
      run("trap '' PIPE; '" BRACE_TOOL "' season " + prices + " --period 7 --json 2> " +
          (folder / "err") + " | head -c 10 > /dev/null");
  EXPECT_EQ(content_of(folder / "err").find("unexpected"), std::string::npos);
}

TEST(System, LittleMemoryAndFewDescriptorsAreTold) {
  const Folder folder;
  const std::string prices = made_prices(folder);
  for (const int kilobytes : {60000, 120000, 200000}) {
    const Outcome o = run(fmt::format(
        "ulimit -v {}; '" BRACE_TOOL
        "' simulate --model 'const / garch' --parameters .1,.1,.1,.8 --rows 20000000 > /dev/null",
        kilobytes));
    EXPECT_THAT(o.status, AnyOf(0, 1, 2, 127))
        << kilobytes << o.err;  // 127: the loader itself found no room
    EXPECT_EQ(o.err.find("terminate"), std::string::npos) << o.err;
  }
  for (const int files : {4, 6, 8, 16}) {
    const Outcome o = run(fmt::format("ulimit -n {}; '" BRACE_TOOL
                                      "' fit {} --returns log --model 'const / garch' --save {}",
                                      files, prices, folder / "m.json"));
    EXPECT_THAT(o.status, AnyOf(0, 1, 127)) << files << o.err;
    EXPECT_EQ(o.err.find("terminate"), std::string::npos) << o.err;
    if (o.status == 1) expect_said(o, fmt::format("{} files", files));
  }
}

TEST(System, AnInterruptEndsWithinASecondAndLeavesNothing) {
  const Folder folder;
  const std::string prices = made_prices(folder, 2000);
  const auto begin = std::chrono::steady_clock::now();
  const Outcome o =
      run("timeout -s INT 0.5 '" BRACE_TOOL "' backtest " + prices +
          " --returns log --model 'const / aparch / skew-student' --window 1500 --out " +
          (folder / "b.csv"));
  EXPECT_NE(o.status, 0);
  EXPECT_LT(std::chrono::steady_clock::now() - begin, std::chrono::seconds(10));
  EXPECT_EQ(o.err.find("terminate"), std::string::npos) << o.err;
  EXPECT_LE(folder.entries(), 2u) << "prices, and perhaps what was asked for";
}

}  // namespace
}  // namespace brace::test
