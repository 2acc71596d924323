// SPDX-License-Identifier: Apache-2.0
// A study's record as JSON, its verdicts, and what differs between two of them. Covered by
// tests/report/report_test.cpp.
#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <sstream>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/base/version.hpp"
#include "brace/io/csv.hpp"
#include "brace/io/files.hpp"
#include "brace/report/report.hpp"

namespace brace::inline v0 {
namespace {

using Json = nlohmann::json;

constexpr const char* kKind = "study record";

Json values_of(const std::vector<double>& values) {
  Json out = Json::array();
  for (const double v : values) out.push_back(std::isfinite(v) ? Json(v) : Json());
  return out;
}
std::vector<double> doubles_of(const Json& values) {
  std::vector<double> out;
  for (const Json& v : values)
    out.push_back(v.is_number() ? v.get<double>() : std::numeric_limits<double>::quiet_NaN());
  return out;
}

Json value_of(const ReportPanel& panel) {
  Json dates = Json::array(), lines = Json::array();
  for (const Timestamp& t : panel.dates) dates.push_back(t.time_since_epoch().count());
  for (const ReportPanel::Line& line : panel.lines)
    lines.push_back({{"name", line.name},
                     {"values", values_of(line.values)},
                     {"low", values_of(line.low)},
                     {"high", values_of(line.high)}});
  return {{"title", panel.title}, {"unit", panel.unit}, {"dates", dates}, {"lines", lines}};
}
ReportPanel panel_of(const Json& j) {
  ReportPanel panel{.title = j.at("title"), .unit = j.at("unit"), .dates = {}, .lines = {}};
  for (const Json& t : j.at("dates"))
    panel.dates.emplace_back(std::chrono::seconds(t.get<std::int64_t>()));
  for (const Json& line : j.at("lines"))
    panel.lines.push_back({line.at("name"), doubles_of(line.at("values")),
                           doubles_of(line.at("low")), doubles_of(line.at("high"))});
  return panel;
}

// The document of a step that ran; null where there is none.
Json document_of(const StudyRecord& record, const std::string& step) {
  for (const ReportChapter& c : record.chapters)
    if (c.step == step && !c.document.empty()) return Json::parse(c.document);
  return {};
}

std::string quoted_change(const std::string& of, double before, double now,
                          const std::string& more = "") {
  return fmt::format("{} went from {} to {}{}.", of, text::significant(before, 4),
                     text::significant(now, 4), more);
}

// A sentence by its words alone.
std::string without_numbers(const std::string& sentence) {
  std::string out;
  for (const char c : sentence)
    if (c < '0' || c > '9') out += c;
  return out;
}

// "check.mcleod-li.z^2-plain.p": no blanks or commas, which other programs would take for more.
std::string quantity_of(const std::string& step, const std::string& test,
                        const std::string& variant) {
  std::string out = step + "." + test + (variant.empty() ? "" : ".");
  for (const char c : variant)
    if (c != ',') out += c == ' ' ? '-' : c;
  return out + ".p";
}

Json value_of(const StudyRecord& record) {
  Json chapters = Json::array();
  for (const ReportChapter& c : record.chapters) {
    Json figures = Json::array(), panels = Json::array();
    for (const ReportFigure& f : c.figures)
      figures.push_back({{"title", f.title}, {"alternative", f.alternative}, {"svg", f.svg}});
    for (const ReportPanel& p : c.panels) panels.push_back(value_of(p));
    chapters.push_back({{"step", c.step},
                        {"command", c.command},
                        {"document", c.document.empty() ? Json() : Json::parse(c.document)},
                        {"text", c.text},
                        {"stopped", c.stopped},
                        {"digest", c.digest},
                        {"figures", figures},
                        {"panels", panels}});
  }
  return {
      {"brace", record.version},      {"kind", kKind},
      {"title", record.title},        {"written", record.written},
      {"digest", record.digest},      {"file", record.file},
      {"chapters", chapters},         {"changes", record.changes ? Json(*record.changes) : Json()},
      {"leave_out", record.leave_out}};
}

}  // namespace

std::string to_json(const StudyRecord& record) {
  return value_of(record).dump(1, ' ', false, Json::error_handler_t::replace) + "\n";
}

std::string json_document(std::string_view command, const std::vector<StudyRecord>& records) {
  Json studies = Json::array();
  for (const StudyRecord& record : records) studies.push_back(value_of(record));
  const Json out{{"brace", version()},
                 {"command", command},
                 {"result", {{"studies", std::move(studies)}}},
                 {"warnings", Json::array()}};
  return out.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

StudyRecord read_record(const std::string& path) {
  const std::string content = read_whole(path);
  try {
    const Json j = Json::parse(content);
    if (j.at("kind") != kKind) throw Json::other_error::create(0, "another kind", nullptr);
    StudyRecord record{.title = j.at("title"),
                       .version = j.at("brace"),
                       .written = j.at("written"),
                       .digest = j.at("digest"),
                       .file = j.at("file"),
                       .chapters = {}};
    for (const Json& c : j.at("chapters")) {
      ReportChapter chapter{.step = c.at("step"),
                            .command = c.at("command"),
                            .document = c.at("document").is_null() ? "" : c.at("document").dump(),
                            .text = c.at("text"),
                            .stopped = c.at("stopped"),
                            .digest = c.at("digest")};
      for (const Json& f : c.at("figures"))
        chapter.figures.push_back({f.at("title"), f.at("alternative"), f.at("svg")});
      for (const Json& p : c.at("panels")) chapter.panels.push_back(panel_of(p));
      record.chapters.push_back(std::move(chapter));
    }
    if (!j.at("changes").is_null()) record.changes = j.at("changes");
    record.leave_out = j.at("leave_out");
    return record;
  } catch (const Json::exception&) {
    throw Error(ErrorCode::bad_saved_model,
                path + ": is not the record of a study; give the study.json of its results");
  }
}

std::string verdict_of(const ReportChapter& chapter) {
  if (!chapter.stopped.empty()) return chapter.stopped;
  std::istringstream lines(chapter.text.substr(0, chapter.text.find("\n\n")));
  std::string out;
  for (std::string word; lines >> word;) out += (out.empty() ? "" : " ") + word;
  return out;
}

std::vector<std::string> changes_between(const StudyRecord& before, const StudyRecord& now) {
  std::vector<std::string> out;
  const Json then_ahead = document_of(before, "forecast"), ahead = document_of(now, "forecast");
  if (!then_ahead.is_null() && !ahead.is_null()) {
    const Json &a = then_ahead["result"]["steps"][0], &b = ahead["result"]["steps"][0];
    if (a["sd"].is_number() && b["sd"].is_number() && a["sd"] != b["sd"])
      out.push_back(quoted_change("The volatility forecast one step ahead", a["sd"], b["sd"]));
  }
  const Json then_fit = document_of(before, "fit"), fit = document_of(now, "fit");
  if (!then_fit.is_null() && !fit.is_null()) {
    const Json &a = then_fit["result"], &b = fit["result"];
    if (a["model"] != b["model"]) {
      out.push_back(fmt::format("The model is {}; it was {}.", b["model"].get<std::string>(),
                                a["model"].get<std::string>()));
    } else {
      if (a["n"].is_number() && a["n"] != b["n"])
        out.push_back(fmt::format("{} observations are fitted; it was {}.",
                                  text::count(b["n"].get<std::size_t>()),
                                  text::count(a["n"].get<std::size_t>())));
      for (std::size_t i = 0; i < b["parameters"].size() && i < a["parameters"].size(); ++i) {
        const Json &p = a["parameters"][i], &q = b["parameters"][i];
        if (p["estimate"] == q["estimate"]) continue;
        const double from = p["estimate"], to = q["estimate"];
        out.push_back(
            quoted_change(q["name"].get<std::string>(), from, to,
                          p["se"].is_number()
                              ? fmt::format(", {:.1f} errors", (to - from) / p["se"].get<double>())
                              : ""));
      }
    }
  }
  for (const ReportChapter& c : now.chapters)
    for (const ReportChapter& old : before.chapters)
      // Figures differ from day to day, and those of the forecast are told above.
      if (old.step == c.step && c.step != "forecast" &&
          without_numbers(verdict_of(old)) != without_numbers(verdict_of(c)))
        out.push_back(fmt::format("Of {}: {} It was: {}", c.step, verdict_of(c), verdict_of(old)));
  return out;
}

std::string tidy_csv(const StudyRecord& record) {
  std::vector<std::vector<std::string>> rows{
      {"series", "model", "date", "step", "quantity", "value"}};
  for (const ReportChapter& c : record.chapters) {
    if (c.document.empty()) continue;
    const Json document = Json::parse(c.document);
    const Json &result = document["result"], &series = document["series"];
    const auto text = [](const Json& of, const char* key) {
      return of.contains(key) && of[key].is_string() ? of[key].get<std::string>() : std::string();
    };
    const std::string name = series.is_object() ? text(series, "name") : "",
                      model = text(result, "model");
    const auto add = [&](const std::string& date, const std::string& step,
                         const std::string& quantity, const Json& value) {
      if (value.is_number())
        rows.push_back({name, model, date, step, quantity, fmt::format("{}", value.get<double>())});
    };
    const std::string last = series.is_object() ? text(series, "last") : "";
    if (c.step == "fit") {
      for (const Json& p : result["parameters"]) {
        add(last, "", text(p, "name"), p["estimate"]);
        add(last, "", text(p, "name") + ".error", p["se"]);
      }
      for (const char* key :
           {"persistence", "half_life", "unconditional_variance", "log_likelihood", "aic", "bic"})
        add(last, "", key, result[key]);
    }
    if (c.step == "forecast")
      for (const Json& s : result["steps"]) {
        const std::string step = std::to_string(s["step"].get<int>());
        add(text(s, "date"), step, "mean", s["mean"]);
        add(text(s, "date"), step, "volatility", s["sd"]);
        for (const char* of : {"return_interval", "volatility_interval"})
          if (s.contains(of) && s[of].is_object())
            for (const auto& [level, ends] : s[of].items()) {
              const std::string quantity =
                  std::string(of == std::string_view("return_interval") ? "return" : "volatility") +
                  "_" + level;
              add(text(s, "date"), step, quantity + "_low", ends[0]);
              add(text(s, "date"), step, quantity + "_high", ends[1]);
            }
        for (const Json& tail : s["tails"])
          add(text(s, "date"), step,
              fmt::format("value_at_risk_{:g}", tail["percent"].get<double>()),
              tail["value_at_risk"]);
      }
    if (result.contains("tests") && result["tests"].is_array())
      for (const Json& t : result["tests"])
        add(last, "", quantity_of(c.step, text(t, "test"), text(t, "variant")), t["p_value"]);
  }
  return csv_text(rows);
}

}  // namespace brace::inline v0
