// SPDX-License-Identifier: Apache-2.0
// Files, saved models, journals and calls that are not kind: absent rows, new rows alone, changed
// fields, devices, hostile names; an answer or an error that says the mend, never a crash.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <nlohmann/json.hpp>
#include <regex>

#include "brace/base/date.hpp"
#include "brace/series/calendar.hpp"
#include "support/run.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using testing::HasSubstr;
using testing::Not;

// The lamp-oil file without some rows, or with their prices blank.
std::string lamp_oil(bool blank) {
  std::istringstream in(content_of(BRACE_SOURCE_DIR "/data/lamp-oil.csv"));
  std::string out, line;
  for (int row = 0; std::getline(in, line); ++row) {
    const bool gone = row == 40 || row == 77 || row == 78 || row == 130 || row == 200;
    if (gone && blank) out += line.substr(0, line.find(',')) + ",\n";
    if (!gone) out += line + "\n";
  }
  return out;
}

// One rule for every command: a row that is absent is a value that is missing.
TEST(AbsentRows, GiveTheSameDigitsAsBlankOnes) {
  const Folder folder;
  const std::string absent = folder.file("absent.csv", lamp_oil(false)),
                    blank = folder.file("blank.csv", lamp_oil(true));
  for (const std::string& words :
       {std::string("inspect FILE --returns log"), std::string("unitroot FILE"),
        std::string("lags FILE --transform 'log diff1 diff12'"), std::string("season FILE"),
        std::string(
            "search FILE --transform log --season 12 --most-ar 1 --most-ma 1 --differences 1"),
        std::string("fit FILE --transform log --model 'diff1 diff12 ma1 sma12'"),
        std::string("fit FILE --returns log --model 'const / garch'"),
        std::string("check FILE --transform log --model 'diff1 diff12 ma1 sma12'"),
        std::string("compare FILE --transform log --hold-out 24 --model 'diff1 sma12' --model "
                    "'diff1 ma1 sma12'"),
        std::string(
            "forecast FILE --transform log --model 'diff1 diff12 ma1 sma12' --method plug-in"),
        std::string("backtest FILE --returns log --model 'const ar1' --baseline mean --window 150 "
                    "--origins 40")}) {
    const auto result = [&](const std::string& file) {
      const Outcome o = brace(std::regex_replace(words, std::regex("FILE"), file) + " --json");
      EXPECT_EQ(o.status, 0) << words << o.err;
      Json document = Json::parse(o.out);
      if (document["result"].contains("file")) {  // the account tells them apart, and must
        document["result"]["file"].erase("notes");
        document["result"]["file"].erase("rows_read");
        document["result"]["file"].erase("rows_kept");
      }
      return document["result"];
    };
    EXPECT_EQ(result(absent), result(blank)) << words;
  }
  const Outcome fit = brace("fit " + absent + " --transform log --model 'diff1 diff12 ma1 sma12'");
  EXPECT_THAT(fit.out, HasSubstr("log-likelihood 445.92"));
  EXPECT_THAT(fit.out, HasSubstr("5 months that the file has not were"));
  const Outcome kept =
      brace("fit " + absent + " --transform log --absent keep --model 'diff1 diff12 ma1 sma12'");
  EXPECT_THAT(kept.out, HasSubstr("log-likelihood 402.95"));
  EXPECT_THAT(kept.out, HasSubstr("clock-irregular: 5 dates that the clock has are absent"));
}

TEST(RealFiles, AGapBetweenBusinessDaysIsNoHoliday) {
  Folder folder;
  const auto days = dates_after(*parse_date("2014-12-31"), Clock::business_day, 600);
  const auto file = [&](std::size_t from, std::size_t to) {
    std::string text = "date,price\n";
    for (std::size_t t = 0; t < days.size(); ++t)
      if (t < from || t >= to)
        text += fmt::format("{},{}\n", format_date(days[t]),
                            50 + std::sin(1.7 * static_cast<double>(t * t)));
    return folder.file("prices.csv", text);
  };
  for (const char* command :
       {"inspect {} --returns log --json", "unitroot {} --json", "lags {} --returns log --json",
        "lags {} --returns log --of leverage --json", "season {} --returns log --json",
        "season {} --period 5 --json", "breaks {} --returns log --json",
        "fit {} --returns log --model const --json", "check {} --returns log --model const --json",
        "compare {} --returns log --model const --model zero --json"}) {
    const auto warnings = [&](const std::string& of) {
      return Json::parse(brace(fmt::format(fmt::runtime(command), of)).out)["warnings"].dump();
    };
    EXPECT_THAT(warnings(file(1, 300)),
                HasSubstr("there are no rows between 2015-01-01 and " + format_date(days[300])))
        << command;
    EXPECT_THAT(warnings(file(100, 110)), Not(HasSubstr("clock-irregular"))) << command;
  }
}

TEST(RealFiles, ARegressorOneRowBackStartsTheFitARowLater) {
  const Outcome fit =
      brace("fit " + kKelp + " --returns log --model 'const / garch vwith volume@1'");
  EXPECT_EQ(fit.status, 0) << fit.err;
  EXPECT_THAT(fit.out, HasSubstr("the fit starts at"));
}

TEST(RealFiles, SessionsAdviseMarkingOvernightReturns) {
  for (const char* command : {"inspect data/ferry-freight.csv --returns log",
                              "fit data/ferry-freight.csv --returns log --model const"})
    EXPECT_THAT(brace(command).out, HasSubstr("--overnight mark")) << command;
  EXPECT_THAT(brace("fit data/ferry-freight.csv --returns log --overnight mark --model const").out,
              testing::Not(HasSubstr("overnight-returns")));
}

// ---- Updates ----
class Updates : public testing::Test {
 protected:
  void SetUp() override {
    ASSERT_EQ(
        brace("fit " + kKelp +
              " --returns log --to 2023-12-29 --model 'const / garch / student' --save " + model)
            .status,
        0);
  }
  // Rows of the demo file from a date on.
  std::string rows_from(const std::string& date,
                        const std::function<std::string(std::string)>& change = {}) const {
    std::istringstream in(content_of(BRACE_SOURCE_DIR "/data/kelp-fibre.csv"));
    std::string out, line;
    for (int row = 0; std::getline(in, line); ++row)
      if (row == 0 || line.substr(0, 10) >= date) out += (change ? change(line) : line) + "\n";
    return folder.file("new.csv", out);
  }
  Outcome update(const std::string& file, const std::string& more = "") const {
    return brace("update " + model + " --new " + file + " --save " + (folder / "after.json") + " " +
                 more);
  }
  Folder folder;
  std::string model = folder / "kelp.json";
};

TEST_F(Updates, NewRowsAloneAreEnough) {
  ASSERT_EQ(update("data/kelp-fibre.csv").status, 0);
  const Json whole = Json::parse(content_of(folder / "after.json"));
  const Outcome alone = update(rows_from("2024-01-01"));
  ASSERT_EQ(alone.status, 0) << alone.err;
  EXPECT_THAT(alone.out, HasSubstr("34 days added, to 2024-02-16."));
  const Json now = Json::parse(content_of(folder / "after.json"));
  EXPECT_EQ(now["series"]["values"], whole["series"]["values"]);
  EXPECT_EQ(now["state"], whole["state"]);
  EXPECT_EQ(now["series"]["provenance"], whole["series"]["provenance"]) << "ready for the next day";
}

TEST_F(Updates, DayByDayIsTheSameAsAtOnce) {
  ASSERT_EQ(update(rows_from("2024-01-01")).status, 0);
  const Json at_once = Json::parse(content_of(folder / "after.json"));
  std::istringstream in(content_of(rows_from("2024-01-01")));
  std::string header, line;
  std::getline(in, header);
  while (std::getline(in, line)) {
    const Outcome one =
        brace("update " + model + " --new " + folder.file("day.csv", header + "\n" + line + "\n"));
    ASSERT_TRUE(one.status == 0 || line.ends_with(",0")) << line << one.err;
  }
  const Json by_day = Json::parse(content_of(model));
  EXPECT_EQ(by_day["series"]["values"], at_once["series"]["values"]);
  EXPECT_EQ(by_day["state"], at_once["state"]);
  EXPECT_FALSE(std::filesystem::exists(model + ".new"));
}

TEST_F(Updates, RefusesRowsThatAreNotTheModels) {
  const auto refused = [&](const Outcome& o, const char* why) {
    EXPECT_EQ(o.status, 2) << o.out;
    EXPECT_THAT(o.err, HasSubstr(why));
    EXPECT_FALSE(std::filesystem::exists(folder / "after.json"));
  };
  const std::string fresh = rows_from("2024-01-01");
  refused(update(fresh, "--value open"),
          "--value open is asked for, and the model was fitted with settle");
  refused(update(fresh, "--returns simple"), "--returns simple is asked for");
  refused(update(fresh, "--unit decimal --returns log"), "--unit decimal is asked for");
  refused(update(fresh, "--transform diff1"), "--transform diff1 is asked for");
  refused(update(rows_from("2024-01-30")), "20 days are absent between them");
  refused(update(rows_from("2023-12-01",
                           [](std::string line) {
                             if (line.starts_with("2023-12-20")) line = "2023-12-20,99,99,99,99,1";
                             return line;
                           })),
          "where the model holds");
  const Outcome other = update("data/lamp-oil.csv");
  EXPECT_NE(other.status, 0);
  EXPECT_THAT(other.err, HasSubstr("there is no column 'settle'"));
  std::string weekly = "date,settle,volume\n";
  for (int i = 0; i < 12; ++i)
    weekly += fmt::format("{},{},5\n",
                          std::vector<std::string>{
                              "2024-01-02", "2024-01-09", "2024-01-16", "2024-01-23", "2024-01-30",
                              "2024-02-06", "2024-02-13", "2024-02-20", "2024-02-27", "2024-03-05",
                              "2024-03-12", "2024-03-19"}[static_cast<std::size_t>(i)],
                          110 + i);
  refused(update(folder.file("weekly.csv", weekly)), "week clock");
}

// ---- Saved models ----
TEST_F(Updates, EveryFieldOfASavedModelIsChecked) {
  const Json good = Json::parse(content_of(model));
  struct Change {
    const char* pointer;
    Json value;
    const char* named;
  };
  for (const Change& change :
       {Change{"/series/dates", Json::array({"2014-01-07", "2014-01-08"}), "series.dates"},
        Change{"/series/dates/5", "not a date", "series.dates[5]"},
        Change{"/series/dates/5", "1999-01-01", "series.dates[5]"},
        Change{"/series/values/3", "x", "series.values[3]"},
        Change{"/series/values/3", 1e300, "series.values[3]"},
        Change{"/series/every", "fortnight", "series.every"},
        Change{"/series/kind", 7, "series.kind"},
        Change{"/series/rows_read", -1, "series.rows_read"},
        Change{"/parameters/1/estimate", nullptr, "parameters[1].estimate"},
        Change{"/parameters/1/name", "alpha9", "parameters[1].name"},
        Change{"/parameters/1/se", -1, "parameters[1].se"},
        Change{"/parameters/1/held", "no", "parameters[1].held"},
        Change{"/parameters", Json::array(), "parameters"},
        Change{"/covariance/0/1", 99, "covariance"},
        Change{"/covariance/2/2", -1, "covariance[2][2]"},
        Change{"/covariance/2", Json::array(), "covariance[2]"},
        Change{"/convergence/status", "perhaps", "convergence.status"},
        Change{"/convergence/iterations", 1.5, "convergence.iterations"},
        Change{"/presample", "1", "presample"},
        Change{"/state/variance", 17.0, "state"},
        Change{"/warnings", 3, "warnings"},
        Change{"/series/provenance/last", 5, "series.provenance.last"},
        Change{"/version", "1", "version"}}) {
    Json bad = good;
    bad[Json::json_pointer(change.pointer)] = change.value;
    const std::string file = folder.file("bad.json", bad.dump());
    for (const char* command : {"forecast ", "check "}) {
      const Outcome o = brace(command + file);
      EXPECT_EQ(o.status, 1) << change.pointer;
      EXPECT_THAT(o.err, HasSubstr(fmt::format("field '{}'", change.named))) << change.pointer;
      EXPECT_THAT(o.err, testing::Not(HasSubstr("json.exception")));
    }
    EXPECT_EQ(brace("update " + file + " --new data/kelp-fibre.csv").status, 1);
  }
  for (const auto& [key, value] : good.items()) {
    Json bad = good;
    bad.erase(key);
    if (key == "brace" || key == "likelihood") continue;  // may be absent
    EXPECT_EQ(brace("forecast " + folder.file("bad.json", bad.dump())).status, 1) << key;
  }
  const std::string cut = good.dump().substr(0, 5000);
  EXPECT_THAT(brace("check " + folder.file("cut.json", cut)).err, HasSubstr("was cut off"));
}

// ---- Journals ----
TEST(Journals, KnowTheirDataAndTheirShape) {
  const Folder folder;
  const std::string
      journal = folder / "run.jsonl",
      command =
          " --returns log --value settle --drop-zero volume --model 'const / garch' --window 1500 "
          "--origins 20 --refit-every 10 --journal ";
  ASSERT_EQ(brace("backtest data/kelp-fibre.csv" + command + journal).status, 0);
  const std::string kept = content_of(journal);
  EXPECT_EQ(brace("backtest data/kelp-fibre.csv" + command + journal).status, 0);
  // A row that no origin is judged by.
  const std::string other = folder.file(
      "other.csv", std::regex_replace(content_of(BRACE_SOURCE_DIR "/data/kelp-fibre.csv"),
                                      std::regex("2019-03-12,([^,]*),([^,]*),([^,]*),[^,]*"),
                                      "2019-03-12,$1,$2,$3,77.7"));
  const Outcome changed = brace("backtest " + other + command + journal);
  EXPECT_EQ(changed.status, 2);
  EXPECT_THAT(changed.err, HasSubstr("on other data, which differ from 2019-03-12 on"));
  EXPECT_EQ(content_of(journal), kept) << "nothing is lost";
  for (const auto& [from, to] :
       {std::pair{R"("intervals":\[\[[^\]]*\],\[[^\]]*\]\])", R"("intervals":[])"},
        std::pair{R"("variance":[0-9.e-]+)", R"("variance":"x")"},
        std::pair{R"("origin":[0-9]+)", R"("origin":-3)"},
        std::pair{R"("steps":\[)", R"("steps":7,"old":[)"}}) {
    const std::string bad =
        folder.file("bad.jsonl", std::regex_replace(kept, std::regex(from), to));
    const Outcome o = brace("backtest data/kelp-fibre.csv" + command + bad);
    EXPECT_EQ(o.status, 2) << to << o.out.substr(0, 200);
    EXPECT_THAT(o.err, testing::Not(HasSubstr("json.exception")));
  }
}

// ---- What used to crash or lie ----
TEST(Hostile, NoResidualIsNegative) {
  EXPECT_EQ(brace("check " + kKelp + " --model 'zero / garch'").status, 0);
  EXPECT_EQ(brace("search " + kKelp + " --mean zero --variance garch").status, 0);
}

// A maximum on the edge of the mean's lags is a start like any other.
TEST(Hostile, ASearchOnALevelSavesItsBest) {
  const Folder folder;
  const Outcome o = brace("search " + kKelp + " --mean 'const ar1' --variance garch --save " +
                          (folder / "m.json"));
  EXPECT_EQ(o.status, 3) << "every candidate lies on a bound: none is proposed\n" << o.err;
  EXPECT_THAT(o.err, testing::Not(HasSubstr("held parameters")));
  EXPECT_TRUE(std::filesystem::exists(folder / "m.json"));
}

TEST(Hostile, HeldValuesOutsideTheirRangeAreRefused) {
  for (const char* line :
       {"zero / aparch gamma1=2", "zero / aparch delta=-1", "zero / garch / skew-student skew=2",
        "zero / garch / student nu=-1", "zero / garch omega=1e308", "zero / garch omega=-1",
        "zero / garch alpha1=-.1", "zero / garch / ged nu=.5",
        "const / steady sigma2=-1 / normal"}) {
    const Outcome o = brace(fmt::format("fit {} --returns log --model '{}'", kKelp, line));
    EXPECT_EQ(o.status, 2) << line << o.out;
    EXPECT_THAT(o.err, HasSubstr("rule")) << line;
  }
  EXPECT_EQ(brace("fit " + kKelp + " --returns log --model 'zero / aparch delta=1 / student nu=6'")
                .status,
            0);
}

TEST(Hostile, ACallThatCannotSucceedIsRefusedAtOnce) {
  const Folder folder;
  for (const auto& [words, why] :
       {std::pair{"fit " + kKelp + " --model const --chart x.jpg",
                  "must end in .png, .svg or .pdf"},
        std::pair{"check " + kKelp + " --model const --roots r.png", "no ARMA terms"},
        std::pair{"fit " + kKelp + " --model const --save /no/such/folder/m.json",
                  "no such folder"},
        std::pair{"inspect " + kKelp + " --out data", "it is a folder"},
        std::pair{"forecast " + kKelp + " --model const --horizon 0x10", "not a whole number"},
        std::pair{"forecast " + kKelp + " --model const --start-volatility 1e200",
                  "--start-volatility"},
        std::pair{"compare " + kKelp + " --model const --model 'const with volume@1'",
                  "criteria of other rows"}}) {
    const Outcome o = brace(words);
    EXPECT_NE(o.status, 0) << words;
    EXPECT_THAT(o.err, HasSubstr(why)) << words;
    EXPECT_EQ(o.out, "") << words;
  }
  const std::string own = folder.file("own.csv", content_of(BRACE_SOURCE_DIR "/data/lamp-oil.csv"));
  EXPECT_THAT(brace("lags " + own + " --out " + own).err, HasSubstr("would be lost"));
  EXPECT_EQ(content_of(own), content_of(BRACE_SOURCE_DIR "/data/lamp-oil.csv"));
  const Outcome ten = brace(
      "forecast data/lamp-oil.csv --transform log --model 'diff1' --horizon 010 --method plug-in "
      "--json");
  EXPECT_EQ(Json::parse(ten.out)["result"]["steps"].size(), 10u);
}

TEST(Hostile, WritesThroughDevicesPipesAndLinks) {
  const Folder folder;
  const std::string real = folder.file("real.csv", "old"), link = folder / "link.csv",
                    pipe = folder / "pipe";
  std::filesystem::create_symlink(real, link);
  EXPECT_EQ(brace("lags data/lamp-oil.csv --out " + link).status, 0);
  EXPECT_TRUE(std::filesystem::is_symlink(link));
  EXPECT_TRUE(content_of(real).starts_with("lag,"));
  EXPECT_EQ(brace("lags data/lamp-oil.csv --out /dev/null").status, 0);
  EXPECT_TRUE(std::filesystem::is_character_file("/dev/null"));
  const Outcome through = run("mkfifo " + pipe + " && { cat " + pipe + " > " + (folder / "got") +
                              " & '" BRACE_TOOL "' lags data/lamp-oil.csv --quiet --out " + pipe +
                              " > /dev/null; wait; }");
  EXPECT_EQ(through.status, 0) << through.err;
  EXPECT_EQ(content_of(folder / "got"), content_of(real));
}

TEST(Hostile, ReadsPipesAndSaysWhenNothingCanBePrinted) {
  const std::string want = brace("lags data/lamp-oil.csv --json").out;
  const auto result = [](const std::string& text) { return Json::parse(text)["result"]; };
  EXPECT_EQ(result(run("cat data/lamp-oil.csv | '" BRACE_TOOL "' lags /dev/stdin --json").out),
            result(want));
  EXPECT_EQ(result(run("bash -c \"'" BRACE_TOOL "' lags <(cat data/lamp-oil.csv) --json\"").out),
            result(want));
  for (const char* to : {"> /dev/full", ">&-"}) {
    const Outcome o = run(fmt::format("'" BRACE_TOOL "' lags data/lamp-oil.csv {}", to));
    EXPECT_EQ(o.status, 1) << to;
    EXPECT_THAT(o.err, HasSubstr("standard output: cannot be written")) << to;
  }
}

TEST(Hostile, NamesNeverReachTheTerminalRaw) {
  const Folder folder;
  std::string rows;
  for (int d = 1; d < 29; ++d) rows += fmt::format("2020-01-{:02},{}\n", d, 100 + d % 5 + .3 * d);
  const std::string escape = folder.file("escape.csv",
                                         "date,pr\x1b[31mi\xe2\x80\xae"
                                         "ce\n" +
                                             rows);
  for (const char* command : {"lags ", "inspect ", "check --model const "}) {
    const Outcome o = brace(command + escape);
    for (const std::string& text : {o.out, o.err}) {
      EXPECT_EQ(text.find('\x1b'), std::string::npos) << command;
      EXPECT_EQ(text.find("\xe2\x80\xae"), std::string::npos) << command;
    }
    if (!std::string_view(command).starts_with("check")) {
      EXPECT_THAT(o.out + o.err, HasSubstr("\\x1b[31m")) << command;
    }
  }
  const std::string svg = folder / "x.svg";
  ASSERT_EQ(
      brace("lags " + folder.file("svg.csv", "date,a]]>b<&c\n" + rows) + " --chart " + svg).status,
      0);
  const std::string drawn = content_of(svg);
  EXPECT_EQ(drawn.find("a]]>b"), std::string::npos) << "it would end the section that holds it";
  EXPECT_EQ(drawn.find("<title>NaN</title>"), std::string::npos);
}

TEST(Hostile, EachFailureHasItsMessage) {
  const Folder folder;
  std::filesystem::create_symlink(folder / "b", folder / "a");
  std::filesystem::create_symlink(folder / "a", folder / "b");
  std::string wide = "date", row = "2020-01-01";
  for (int c = 0; c < 20000; ++c) {
    wide += fmt::format(",c{}", c);
    row += ",1";
  }
  for (const auto& [command, why] :
       {std::pair{"lags " + (folder / "a"), "symbolic links"},
        std::pair{"lags " + std::string(300, 'x') + ".csv", "too long"},
        std::pair{"lags " + folder.file("wide.csv", wide + "\n" + row + "\n") + " --value zz",
                  "and 19989 more"}}) {
    const Outcome o = brace(command);
    EXPECT_NE(o.status, 0);
    EXPECT_THAT(o.err, HasSubstr(why));
    EXPECT_LT(o.err.size(), 300u) << o.err.substr(0, 300);
    EXPECT_THAT(o.err, testing::Not(HasSubstr("unexpected")));
  }
  const Outcome no_folder =
      run("TMPDIR=/no/such/folder '" BRACE_TOOL "' lags data/lamp-oil.csv --chart " +
          (folder / "c.png"));
  EXPECT_EQ(no_folder.status, 1);
  EXPECT_THAT(no_folder.err, HasSubstr("TMPDIR"));
}

TEST(Hostile, AGnuplotThatFailsIsNamedAndATermSignalLeavesNothingBehind) {
  const Folder folder;
  const std::string bin = folder / "bin", scratch = folder / "scratch";
  std::filesystem::create_directory(bin);
  std::filesystem::create_directory(scratch);
  std::ofstream(bin + "/gnuplot") << "#!/bin/sh\necho broken >&2\nexit 3\n";
  std::filesystem::permissions(bin + "/gnuplot", std::filesystem::perms::all);
  const std::string with = "PATH=" + bin + ":$PATH TMPDIR=" + scratch + " ";
  const Outcome failed =
      run(with + "'" BRACE_TOOL "' lags data/lamp-oil.csv --chart " + (folder / "c.png"));
  EXPECT_EQ(failed.status, 1);
  EXPECT_THAT(failed.err, HasSubstr("gnuplot failed"));
  std::ofstream(bin + "/gnuplot") << "#!/bin/sh\nexec sleep 30\n";
  const Outcome ended =
      run(with + "timeout -s TERM 2 '" BRACE_TOOL "' lags data/lamp-oil.csv --quiet --chart " +
          (folder / "c.png"));
  EXPECT_EQ(ended.status, 124);
  EXPECT_TRUE(std::filesystem::is_empty(scratch)) << "temporary files go with the program";
}

// A close that is missing on the last day costs the forecast of the level, not that of volatility.
TEST(RealFiles, ALastValueThatIsMissingLeavesTheForecastOfReturns) {
  const Folder folder;
  std::string rows = content_of(BRACE_SOURCE_DIR "/data/kelp-fibre.csv");
  rows += "2030-01-02,1,1,1,,100\n";
  const std::string file = folder.file("k.csv", rows);
  const std::string modelled = file +
                               " --value settle --drop-zero volume --returns log --model 'const / "
                               "garch / student'",
                    saved = folder / "m.json", ahead = " --method plug-in --horizon 2 --json";
  ASSERT_EQ(brace("fit " + modelled + " --save " + saved).status, 0);
  const Outcome of_line = brace("forecast " + modelled + ahead),
                of_file = brace("forecast " + saved + ahead);
  for (const Outcome& out : {of_line, of_file}) {
    EXPECT_EQ(out.status, 0) << out.err;
    EXPECT_THAT(out.err, testing::HasSubstr("settle ends on a missing value"));
  }
  EXPECT_EQ(Json::parse(of_line.out)["result"], Json::parse(of_file.out)["result"]);
  // What has no differences goes on from nothing.
  const Outcome logs = brace("forecast " + file +
                             " --value settle --drop-zero volume --transform log --model 'const "
                             "ar1' --method plug-in --horizon 2 --json");
  ASSERT_EQ(logs.status, 0) << logs.err;
  EXPECT_EQ(Json::parse(logs.out)["result"]["original"].size(), 2U) << logs.out;
}

// A file of what is to come is written like the one before it.
TEST(RealFiles, TheFutureIsReadInTheSameDialect) {
  const Folder folder;
  std::string rows = "date;x;z\n";
  for (int t = 0; t < 120; ++t)
    rows +=
        fmt::format("{};{},5 %;1.00{},5\n",
                    format_date(Timestamp(std::chrono::sys_days(std::chrono::year(2024) / 1 / 1)) +
                                std::chrono::days(t)),
                    (t * 7) % 11, (t * 5) % 7);
  const Outcome out =
      brace("forecast " + folder.file("past.csv", rows) +
            " --value x --decimal-comma --grouped --drop-signs % --model 'const with z' --method "
            "plug-in --horizon 2 --json --future " +
            folder.file("future.csv", "z\n1.001,5\n1.002,5\n"));
  EXPECT_EQ(out.status, 0) << out.err;
}

}  // namespace
}  // namespace brace::test
