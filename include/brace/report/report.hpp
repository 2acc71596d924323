// SPDX-License-Identifier: Apache-2.0
// The report of a study: one HTML page that fetches nothing, made from the JSON documents of its
// steps, the figures and the series.
//
//   record = brace::read_record("kelp-results/study.json");
//   brace::write_whole("kelp.html", brace::html_report({record}));
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/date.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// A drawing as SVG, which stands in the page itself, and its content in words.
struct ReportFigure {
  std::string title, alternative, svg;
};

// Lines over time that can be zoomed and read by hovering where scripts run.
struct ReportPanel {
  struct Line {
    std::string name;
    std::vector<double> values;  // one a date; NaN where there is none
    // The interval around them, of the same length, where there is one.
    std::vector<double> low{}, high{};
  };
  std::string title, unit;
  std::vector<Timestamp> dates;  // empty: rows are numbered
  std::vector<Line> lines;
};

struct ReportChapter {
  std::string step;      // as in `brace unitroot`
  std::string command;   // that gives the same
  std::string document;  // what it says with --json; empty where it did not run
  std::string text;      // what it prints
  std::string stopped;   // why it did not run
  std::string digest{};  // of what it was made from: data, options, version
  std::vector<ReportFigure> figures{};
  std::vector<ReportPanel> panels{};
};

// A study that was run: everything that its page shows.
struct StudyRecord {
  std::string title, version, written;  // written: date and time of the run
  std::string digest;                   // of the data, the study file and the version
  std::string file;                     // the study file as it was
  std::vector<ReportChapter> chapters;
  // What is otherwise than in the run before, a sentence each; absent: there was none.
  std::optional<std::vector<std::string>> changes{};
  std::vector<std::string> leave_out{};  // steps whose chapters the page does without
};

// The record as JSON, and from a file. Throws Error (file_missing, bad_model_file) where it is
// none.
[[nodiscard]] std::string to_json(const StudyRecord& record);
// The records of several in one document: {brace, command, result: {studies: [...]}, warnings}.
[[nodiscard]] std::string json_document(std::string_view command,
                                        const std::vector<StudyRecord>& records);
[[nodiscard]] StudyRecord read_record(const std::string& path);

// What a document says in one sentence.
[[nodiscard]] std::string verdict_of(const ReportChapter& chapter);

// What a step of the job asks.
[[nodiscard]] std::string question_of(const std::string& step);

// The sentences of what differs between two runs of one study: verdicts, parameters by their
// errors, volatility.
[[nodiscard]] std::vector<std::string> changes_between(const StudyRecord& before,
                                                       const StudyRecord& now);

// Every number of a study in one form for other programs: a CSV of series, model, date, step,
// quantity and value.
[[nodiscard]] std::string tidy_csv(const StudyRecord& record);

// The page of one study, or of several side by side. `several` begins with a table of all.
[[nodiscard]] std::string html_report(const std::vector<StudyRecord>& studies);

}  // namespace brace::inline v0
BRACE_API_END
