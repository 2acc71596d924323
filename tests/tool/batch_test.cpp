// SPDX-License-Identifier: Apache-2.0
// brace batch as it is typed: its numbers are those of the commands for one series; killed,
// interrupted, without room or shared among processes it loses nothing.
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/resource.h>
#include <unistd.h>

#include <chrono>
#include <nlohmann/json.hpp>
#include <random>
#include <thread>

#include "support/results_file.hpp"
#include "support/run.hpp"

namespace brace::test {
namespace {

using nlohmann::json;
using testing::HasSubstr;

const std::string kExchange = "data/exchange.csv --each symbol --value price --returns log";
const std::string kModel = " --model 'const / garch / student'";

std::string to_store(const std::string& path) {
  return " --store '" + path + "' --quiet";
}

// A universe of forty sound series of three hundred rows.
std::string small_universe(const Folder& folder) {
  const std::string path = folder / "u.csv";
  EXPECT_EQ(run("'" BRACE_GENERATOR "' universe --series 40 --rows 300 --sound > " + path).status,
            0);
  return path + " --each symbol --value price --returns log" + kModel;
}

TEST(BatchCommand, GivesEachSeriesTheNumbersOfItsOwnCommands) {
  const Folder folder;
  const std::string path = folder / "run.sqlite";
  const Outcome out = brace("batch " + kExchange + kModel + " --horizon 10" + to_store(path));
  ASSERT_EQ(out.status, 0) << out.err;
  EXPECT_THAT(out.out, HasSubstr("27 of 30 series have an estimate"));
  EXPECT_EQ(value_of(path, "SELECT count(*) FROM series"), "30");
  EXPECT_EQ(value_of(path, "SELECT count(*) FROM fits"), "27");
  EXPECT_EQ(value_of(path, "SELECT count(*) FROM forecasts"), "270");
  EXPECT_EQ(value_of(path, "SELECT count(DISTINCT series) FROM failures"), "3");
  for (const std::string name : {"KELP-001", "COPPER-003"}) {
    const std::string one = "data/exchange.csv --where symbol=" + name +
                            " --value price --returns log" + kModel + " --json";
    const json fit = json::parse(brace("fit " + one).out)["result"];
    const auto stored = [&](const std::string& what, const std::string& table,
                            const std::string& where = "1") {
      return number_of(path, "SELECT " + what + " FROM last_" + table + " WHERE series_name = '" +
                                 name + "' AND " + where);
    };
    EXPECT_EQ(stored("log_likelihood", "fits"), fit["log_likelihood"].get<double>());
    for (const json& p : fit["parameters"]) {
      const std::string is = "name = '" + p["name"].get<std::string>() + "'";
      EXPECT_EQ(stored("estimate", "parameters", is), p["estimate"].get<double>());
      EXPECT_EQ(stored("se", "parameters", is), p["se"].get<double>());
    }
    const json check = json::parse(brace("check " + one).out)["result"];
    EXPECT_EQ(value_of(path, "SELECT verdict FROM last_checks WHERE series_name = '" + name + "'"),
              check["verdict"]);
    const json ahead =
        json::parse(brace("forecast " + one + " --method plug-in --draws 1000").out)["result"];
    for (const json& step : ahead["steps"]) {
      const std::string at = "step = " + step["step"].dump();
      EXPECT_EQ(stored("sd", "forecasts", at), step["sd"].get<double>());
      EXPECT_EQ(stored("low", "intervals", at + " AND of = 'return' AND percent = 95"),
                step["return_interval"]["95"][0].get<double>());
    }
  }
}

TEST(BatchCommand, ReadsTheSameFromAnyKindOfSource) {
  const Folder folder;
  const std::string make = "'" BRACE_GENERATOR "' universe --series 12 --rows 300 ";
  ASSERT_EQ(run(make + "> " + (folder / "long.csv") + " && " + make + "--interleaved > " +
                (folder / "mixed.csv") + " && " + make + "--into " + (folder / "each"))
                .status,
            0);
  const std::string how = " --value price --returns log --do fit" + kModel;
  const auto results = [&](const std::string& name, const std::string& source) {
    const std::string path = folder / name;
    const Outcome out = run(source + " " + how + to_store(path));
    EXPECT_EQ(out.status, 0) << out.err;
    return rows_of(path,
                   "SELECT series_name, quote(estimate), quote(se) FROM last_parameters ORDER BY "
                   "series_name, name");
  };
  const std::string tool = "'" BRACE_TOOL "' batch ";
  const auto expected = results("a", tool + (folder / "long.csv") + " --each symbol");
  EXPECT_EQ(expected.size(), 60u);
  EXPECT_EQ(results("b", tool + (folder / "mixed.csv") + " --each symbol"), expected);
  EXPECT_EQ(results("c", tool + "- --each symbol < " + (folder / "mixed.csv")), expected);
  EXPECT_EQ(results("d", tool + (folder / "each")), expected);
  EXPECT_EQ(results("e", tool + "'" + (folder / "each/*.csv") + "'"), expected);
}

TEST(BatchCommand, TakesAStudyAndWhatIsTypedWins) {
  const Folder folder;
  const std::string study = folder.file(
      "s.toml",
      "[series]\nfile = \"none.csv\"\nvalue = \"price\"\nreturns = \"log\"\n[fit]\nmodel "
      "= \"const / garch / normal\"\n[check]\n[breaks]\n[forecast]\nhorizon = "
      "4\nmethod = \"full\"\ndraws = 200\n");
  const std::string path = folder / "r.sqlite",
                    typed = "batch data/exchange.csv --each symbol --study " + study;
  Outcome out = brace(typed + to_store(path));
  ASSERT_EQ(out.status, 0) << out.err;
  EXPECT_EQ(value_of(path, "SELECT max(step) || method FROM forecasts"), "4full");
  EXPECT_EQ(value_of(path, "SELECT DISTINCT model FROM fits"), "const / garch e1 h1 / normal");
  EXPECT_GT(std::stoi(value_of(path, "SELECT count(*) FROM tests WHERE step = 'breaks'")), 20);
  out = brace(typed + " --horizon 2 --do forecast --model 'const / gjr / normal'" +
              to_store(folder / "q.sqlite"));
  ASSERT_EQ(out.status, 0) << out.err;
  EXPECT_EQ(value_of(folder / "q.sqlite", "SELECT max(step) FROM forecasts"), "2");
  EXPECT_EQ(value_of(folder / "q.sqlite", "SELECT count(*) FROM tests"), "0");
  EXPECT_EQ(value_of(folder / "q.sqlite", "SELECT DISTINCT model FROM fits"),
            "const / gjr e1 h1 / normal");
}

TEST(BatchCommand, ComparesRunsAndTellsTheLastOne) {
  const Folder folder;
  const std::string path = folder / "r.sqlite", other = folder / "s.sqlite";
  const std::string how = "batch " + kExchange + kModel;
  ASSERT_EQ(brace(how + " --to 2016-06-30" + to_store(path)).status, 0);
  ASSERT_EQ(brace(how + to_store(other)).status, 0);
  const Outcome night = brace(how + " --out " + (folder / "o.csv") + to_store(path));
  EXPECT_THAT(night.out, HasSubstr("Against run 1, of "));
  EXPECT_THAT(night.out, HasSubstr("compared, median ratio"));
  const std::string csv = content_of(folder / "o.csv");
  EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 31);
  EXPECT_EQ(brace("batch --store " + path + " --quiet").out, night.out);
  EXPECT_THAT(brace("batch --store " + path + " --against " + other).out,
              HasSubstr("none has changed"));
  const json document =
      json::parse(brace("batch --json --store " + path + " --against 1").out)["result"];
  EXPECT_EQ(document["series"], 30);
  EXPECT_EQ(document["against"]["run"]["run"], 1);
  EXPECT_EQ(brace("batch --store " + path + " --against 7").status, 2);
  // A refused word never touches the store.
  EXPECT_EQ(brace(how + " --hold-out 5" + to_store(folder / "t.sqlite")).status, 2);
  EXPECT_FALSE(std::filesystem::exists(folder / "t.sqlite"));
}

// ---- Nothing is lost ----

// Starts the tool by itself and hands its number to `meanwhile`; the status that waiting gives.
template <class F>
int with_child(const std::vector<std::string>& words, F meanwhile) {
  const pid_t child = ::fork();
  if (child == 0) {
    std::vector<char*> argv;
    for (const std::string& word : words) argv.push_back(const_cast<char*>(word.c_str()));
    argv.push_back(nullptr);
    if (std::freopen("/dev/null", "w", stdout) == nullptr ||
        std::freopen("/dev/null", "w", stderr) == nullptr)
      ::_exit(126);
    ::execv(argv[0], argv.data());
    ::_exit(127);
  }
  meanwhile(child);
  int status = 0;
  ::waitpid(child, &status, 0);
  return status;
}

std::vector<std::string> batch_words(const std::string& file, const std::string& store) {
  return {BRACE_TOOL,
          "batch",
          file,
          "--each",
          "symbol",
          "--value",
          "price",
          "--returns",
          "log",
          "--model",
          "const / garch / student",
          "--store",
          store,
          "--quiet"};
}

TEST(BatchCommand, KilledAtAnyTimeItGoesOnToTheSameFile) {
  const Folder folder;
  (void)small_universe(folder);
  const std::string file = folder / "u.csv", killed = folder / "k.sqlite";
  const auto begin = std::chrono::steady_clock::now();
  EXPECT_EQ(with_child(batch_words(file, folder / "w.sqlite"), [](pid_t) {}), 0);
  const auto whole = std::chrono::steady_clock::now() - begin;
  std::mt19937 random(20);
  int alive = 0;
  for (int kill = 0; kill < 10; ++kill) {
    const double share = std::uniform_real_distribution<double>(.02, .12)(random);
    const int status = with_child(batch_words(file, killed), [&](pid_t child) {
      std::this_thread::sleep_for(whole * share);
      ::kill(child, SIGKILL);
    });
    alive += WIFSIGNALED(status) ? 1 : 0;
    if (std::filesystem::exists(killed)) {
      EXPECT_EQ(value_of(killed, "PRAGMA integrity_check"), "ok");
    }
  }
  EXPECT_GE(alive, 3) << "kills that came in time";
  EXPECT_EQ(with_child(batch_words(file, killed), [](pid_t) {}), 0);
  std::vector<std::string> found = all_results(killed);
  // A start after the last series was done is a run of its own, of the same results.
  std::erase_if(found, [](const std::string& row) {
    return row.starts_with("run_series||") && !row.starts_with("run_series||1|");
  });
  EXPECT_EQ(found, all_results(folder / "w.sqlite"));
  EXPECT_EQ(value_of(killed, "SELECT status FROM runs WHERE run = 1"), "complete");
}

TEST(BatchCommand, AnInterruptKeepsWhatIsDone) {
  const Folder folder;
  (void)small_universe(folder);
  const std::string store = folder / "r.sqlite";
  const int status = with_child(batch_words(folder / "u.csv", store), [&](pid_t child) {
    for (int i = 0; i < 500; ++i) {
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
      if (std::filesystem::exists(store) &&
          std::atoi(value_of(store, "SELECT count(*) FROM run_series").c_str()) >= 3)
        break;
    }
    ::kill(child, SIGINT);
  });
  ASSERT_TRUE(WIFEXITED(status));
  if (WEXITSTATUS(status) == 0) GTEST_SKIP() << "it was done before it could be interrupted";
  EXPECT_EQ(value_of(store, "SELECT status FROM runs"), "interrupted");
  EXPECT_GE(std::stoi(value_of(store, "SELECT count(*) FROM run_series")), 3);
  EXPECT_EQ(with_child(batch_words(folder / "u.csv", store), [](pid_t) {}), 0);
  EXPECT_EQ(value_of(store, "SELECT count(*) || status FROM run_series JOIN runs USING (run)"),
            "40complete");
}

TEST(BatchCommand, ASecondWriterIsRefused) {
  const Folder folder;
  const std::string how = small_universe(folder), store = folder / "r.sqlite";
  (void)with_child(batch_words(folder / "u.csv", store), [&](pid_t child) {
    // Stopped in the middle it holds the file for as long as this takes.
    for (int i = 0; i < 500 && !std::filesystem::exists(store); ++i)
      std::this_thread::sleep_for(std::chrono::milliseconds(2));
    ::kill(child, SIGSTOP);
    const Outcome second = brace("batch " + how + to_store(store));
    EXPECT_EQ(second.status, 1);
    EXPECT_THAT(second.err, HasSubstr("another run is writing to it"));
    ::kill(child, SIGCONT);
  });
  EXPECT_EQ(value_of(store, "SELECT count(*) FROM run_series"), "40");
}

TEST(BatchCommand, AFullDiskCorruptsNothing) {
  const Folder folder;
  const std::string how = small_universe(folder), store = folder / "r.sqlite";
  EXPECT_EQ(brace("batch " + how + to_store("/dev/full")).status, 2);
  // Files may not grow beyond a size (in blocks of 512 bytes) that some of the series need.
  const Outcome full =
      run("ulimit -f 800; trap '' XFSZ; '" BRACE_TOOL "' batch " + how + to_store(store));
  EXPECT_EQ(full.status, 1) << full.out;
  EXPECT_THAT(full.err, HasSubstr("what was written before is whole"));
  EXPECT_EQ(value_of(store, "PRAGMA integrity_check"), "ok");
  EXPECT_GT(std::stoi(value_of(store, "SELECT count(*) FROM run_series")), 0);
  EXPECT_EQ(brace("batch " + how + to_store(store)).status, 0);
  ASSERT_EQ(brace("batch " + how + to_store(folder / "w.sqlite")).status, 0);
  EXPECT_EQ(all_results(store), all_results(folder / "w.sqlite"));
  // And a real file system without room, where one may be made.
  const std::string small = folder / "small";
  std::filesystem::create_directory(small);
  if (run("mount -t tmpfs -o size=256k none " + small).status != 0) return;
  const Outcome out = brace("batch " + how + to_store(small + "/r.sqlite"));
  EXPECT_EQ(out.status, 1);
  EXPECT_THAT(out.err, HasSubstr("full"));
  const std::string check = value_of(small + "/r.sqlite", "PRAGMA integrity_check");
  EXPECT_EQ(run("umount " + small).status, 0);
  EXPECT_EQ(check, "ok");
}

// ---- Over processes ----

Outcome mpi(int ranks, const std::string& words) {
  return run(
      "OMPI_ALLOW_RUN_AS_ROOT=1 OMPI_ALLOW_RUN_AS_ROOT_CONFIRM=1 "
      "OMPI_MCA_rmaps_base_oversubscribe=1 "
      "mpirun -n " +
      std::to_string(ranks) + " '" BRACE_MPI_TOOL "' " + words);
}

TEST(BatchOverRanks, IsTheSameFile) {
  if (std::string(BRACE_MPI_TOOL).empty()) GTEST_SKIP() << "built without MPI";
  const Folder folder;
  const std::string how = "batch " + kExchange + kModel + " --horizon 3";
  ASSERT_EQ(brace(how + to_store(folder / "t.sqlite")).status, 0);
  for (const int ranks : {1, 3, 4}) {
    const std::string store = folder / (std::to_string(ranks) + ".sqlite");
    const Outcome out = mpi(ranks, how + to_store(store));
    ASSERT_EQ(out.status, 0) << out.err;
    EXPECT_THAT(out.out, HasSubstr("27 of 30 series have an estimate"));
    EXPECT_EQ(all_results(store), all_results(folder / "t.sqlite")) << ranks << " ranks";
  }
  EXPECT_NE(mpi(3, "fit " + kKelpReturns + kModel).status, 0);
  EXPECT_NE(mpi(3, how + to_store("/no/such/folder/r.sqlite")).status, 0);
}

// Processes of brace-mpi whose command line holds `words`, in the order of their numbers.
std::vector<pid_t> ranks_with(const std::string& words) {
  namespace fs = std::filesystem;
  std::vector<pid_t> found;
  for (const fs::directory_entry& entry : fs::directory_iterator("/proc")) {
    const std::string name = entry.path().filename().string();
    if (name.find_first_not_of("0123456789") != std::string::npos) continue;
    std::error_code none;
    const std::string program = fs::read_symlink(entry.path() / "exe", none).filename().string();
    if (program == "brace-mpi" &&
        content_of(entry.path() / "cmdline").find(words) != std::string::npos)
      found.push_back(std::stoi(name));
  }
  std::sort(found.begin(), found.end());
  return found;
}

// A rank that dies takes the run with it, and nothing that was done.
TEST(BatchOverRanks, GoOnAfterOneIsKilled) {
  if (std::string(BRACE_MPI_TOOL).empty()) GTEST_SKIP() << "built without MPI";
  const Folder folder;
  const std::string store = folder / "r.sqlite";
  const std::string how = "batch " + small_universe(folder) + to_store(store);
  for (const bool leader : {false, true}) {
    Outcome out;
    std::thread launched([&] { out = mpi(3, how); });
    bool killed = false;
    for (int i = 0; i < 2000 && !killed; ++i) {
      std::this_thread::sleep_for(std::chrono::milliseconds(5));
      const std::vector<pid_t> ranks = ranks_with(store);
      const bool begun =
          std::filesystem::exists(store) &&
          std::atoi(value_of(store, "SELECT count(*) FROM run_series").c_str()) >= (leader ? 8 : 2);
      if (ranks.size() != 3 || !begun) continue;
      ::kill(leader ? ranks.front() : ranks.back(), SIGKILL);
      killed = true;
    }
    launched.join();
    EXPECT_TRUE(killed);
    EXPECT_NE(out.status, 0) << (leader ? "rank 0" : "another");
    EXPECT_EQ(value_of(store, "PRAGMA integrity_check"), "ok");
  }
  EXPECT_EQ(mpi(3, how).status, 0);
  ASSERT_EQ(brace("batch " + small_universe(folder) + to_store(folder / "w.sqlite")).status, 0);
  EXPECT_EQ(all_results(store), all_results(folder / "w.sqlite"));
}

}  // namespace
}  // namespace brace::test
