// SPDX-License-Identifier: Apache-2.0
// From records to the page, by the templates of page/. Covered by tests/report/report_test.cpp and,
// in a browser, by tests/tool/report_page_test.cpp.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <kainjow/mustache.hpp>
#include <nlohmann/json.hpp>

#include "brace/base/text.hpp"
#include "brace/base/version.hpp"
#include "brace/report/report.hpp"
#include "report/assets.hpp"
#include "report/evidence.hpp"
#include "report/inline_svg.hpp"

namespace brace::inline v0 {
namespace {

using Json = nlohmann::json;
using kainjow::mustache::data;

// Text as text, whatever it holds.
std::string escaped(const std::string& text) {
  std::string out;
  for (const char c : text) switch (c) {
      case '&': out += "&amp;"; break;
      case '<': out += "&lt;"; break;
      case '>': out += "&gt;"; break;
      case '"': out += "&quot;"; break;
      case '\'': out += "&#39;"; break;
      default: out += c;
    }
  return out;
}

std::string html_of(const EvidenceTable& table) {
  if (table.rows.empty()) return "";
  const auto cell = [&](const char* tag, std::size_t i, const std::string& text) {
    return fmt::format("<{}{}>{}</{}>", tag, table.words[i] ? " class=\"w\"" : "", escaped(text),
                       std::string(tag).substr(0, 2));
  };
  std::string out = fmt::format(
      "<div class=\"wide\" tabindex=\"0\" role=\"group\" aria-label=\"{0}\"><table>"
      "<caption>{0}</caption><thead><tr>",
      escaped(table.caption));
  for (std::size_t i = 0; i < table.heads.size(); ++i)
    out += cell("th scope=\"col\"", i, table.heads[i]);
  out += "</tr></thead><tbody>\n";
  for (const std::vector<std::string>& row : table.rows) {
    out += "<tr>";
    for (std::size_t i = 0; i < row.size(); ++i) out += cell("td", i, row[i]);
    out += "</tr>\n";
  }
  return out + "</tbody></table></div>\n";
}

// Six digits, as much as a reader sees.
Json rounded(const std::vector<double>& values) {
  Json out = Json::array();
  for (const double v : values)
    out.push_back(std::isfinite(v) ? Json(std::stod(fmt::format("{:.6g}", v))) : Json());
  return out;
}

// The panel for scripts, in place of the still figure `instead` where there is one.
std::string html_of(const ReportPanel& panel, const std::string& instead) {
  Json x = Json::array(), lines = Json::array();
  const std::size_t rows = panel.lines.empty() ? 0 : panel.lines.front().values.size();
  for (std::size_t i = 0; i < rows; ++i)
    x.push_back(panel.dates.empty()
                    ? static_cast<std::int64_t>(i + 1)
                    : std::int64_t{panel.dates[i].time_since_epoch().count()} * 1000);
  for (const ReportPanel::Line& line : panel.lines)
    lines.push_back({{"name", line.name},
                     {"values", rounded(line.values)},
                     {"low", rounded(line.low)},
                     {"high", rounded(line.high)}});
  std::string json = Json{{"dated", !panel.dates.empty()}, {"x", x}, {"lines", lines}}.dump(
      -1, ' ', false, Json::error_handler_t::replace);
  // "</script>" within a name ends no script.
  for (std::size_t at = 0; (at = json.find('<', at)) != std::string::npos;)
    json.replace(at, 1, "\\u003c");
  return fmt::format(
      "<figure class=\"live\" hidden{}><p class=\"reads\" aria-live=\"off\"></p><div "
      "class=\"draw\" "
      "role=\"img\" aria-label=\"{}\"></div><figcaption>{}{}</figcaption><script "
      "type=\"application/json\">{}</script></figure>\n",
      instead.empty() ? "" : fmt::format(" data-instead=\"{}\"", instead), escaped(panel.title),
      escaped(panel.title), panel.unit.empty() ? "" : ", " + escaped(panel.unit), json);
}

std::string html_of(const ReportFigure& figure, const std::string& id) {
  return fmt::format("<figure class=\"still\" id=\"{}\">{}<figcaption>{}</figcaption></figure>\n",
                     id, inline_svg(figure.svg, id, figure.alternative), escaped(figure.title));
}

std::vector<std::string> doubts_of(const ReportChapter& chapter) {
  std::vector<std::string> out;
  if (chapter.document.empty()) return out;
  const Json document = Json::parse(chapter.document);
  const auto at = document.find("warnings");
  if (at == document.end()) return out;
  for (const Json& w : *at) out.push_back(text::sentence(w.at("text").get<std::string>()));
  return out;
}

// The first document that tells of the series as it was read.
std::string series_of(const StudyRecord& record) {
  for (const ReportChapter& c : record.chapters) {
    if (c.document.empty()) continue;
    const Json d = Json::parse(c.document);
    if (!d.contains("series") || !d["series"].is_object()) continue;
    const Json& s = d["series"];
    const auto text = [&](const char* key) {
      return s.contains(key) && s[key].is_string() ? s[key].get<std::string>() : "";
    };
    std::string out = text("file");
    if (!text("name").empty()) out += (out.empty() ? "" : ": ") + text("name");
    if (s.contains("n") && s["n"].is_number())
      out += ", " + text::count(s["n"].get<std::size_t>()) + " rows";
    if (!text("first").empty()) out += ", " + text("first") + " to " + text("last");
    return out;
  }
  return "";
}

// "2,609 rows read; 11 rows dropped (volume is 0); 4 values missing." where the file was inspected.
std::string account_of(const StudyRecord& record) {
  for (const ReportChapter& c : record.chapters) {
    if (c.step != "inspect" || c.document.empty()) continue;
    const Json file = Json::parse(c.document)["result"].value("file", Json::object());
    if (!file.is_object() || !file.contains("rows_read")) return "";
    std::string out = text::count(file["rows_read"].get<std::size_t>()) + " rows read";
    for (const Json& d : file["dropped"])
      out += fmt::format("; {} dropped ({})",
                         text::plural(d["rows"].get<std::size_t>(), "row", "rows"),
                         d["because"].get<std::string>());
    const auto missing = file["missing"].get<std::size_t>();
    if (missing > 0) out += "; " + text::plural(missing, "value", "values") + " missing";
    return out + ". ";
  }
  return "";
}

const ReportChapter* chapter_of(const StudyRecord& record, const std::string& step) {
  for (const ReportChapter& c : record.chapters)
    if (c.step == step && !c.document.empty()) return &c;
  return nullptr;
}

data list_of(const std::vector<std::string>& texts) {
  data out{data::type::list};
  for (const std::string& text : texts) out.push_back(data{text});
  return out;
}

data chapter_data(const StudyRecord& record, std::size_t i, const std::string& id, int number,
                  const std::string& heading) {
  const ReportChapter& c = record.chapters[i];
  const StepWords& words = words_of_step(c.step);
  data out;
  const std::string anchor = id + "-" + c.step;
  out.set("anchor", anchor);
  out.set("number", std::to_string(number));
  out.set("label", words.title);
  out.set("question", words.question);
  out.set("verdict", verdict_of(c));
  out.set("how", words.how_to_read);
  out.set("command", c.command);
  out.set("h2", heading);
  out.set("ran", c.stopped.empty());
  std::string panels, figures, tables;
  for (const ReportPanel& p : c.panels) panels += html_of(p, "");
  for (std::size_t f = 0; f < c.figures.size(); ++f)
    figures += html_of(c.figures[f], fmt::format("{}-{}", anchor, f + 1));
  if (!c.document.empty())
    for (const EvidenceTable& table : evidence_of(c.step, Json::parse(c.document)))
      tables += html_of(table);
  out.set("panels", panels);
  out.set("figures", figures);
  out.set("tables", tables);
  const std::vector<std::string> doubts = doubts_of(c);
  out.set("has_doubts", !doubts.empty());
  out.set("doubts", list_of(doubts));
  return out;
}

data study_data(const StudyRecord& record, const std::string& id, bool several, bool lead) {
  const std::string heading = several ? "h3" : "h2";
  data out, verdicts{data::type::list}, doubts{data::type::list}, chapters{data::type::list},
      texts{data::type::list};
  int number = 0;
  std::vector<std::string> told;
  for (std::size_t i = 0; i < record.chapters.size(); ++i) {
    const ReportChapter& c = record.chapters[i];
    const std::string anchor = id + "-" + c.step, label = words_of_step(c.step).title;
    const bool left_out = std::find(record.leave_out.begin(), record.leave_out.end(), c.step) !=
                          record.leave_out.end();
    const auto entry = [&](const std::string& sentence) {
      data one;
      one.set("anchor", left_out ? id + "-appendix" : anchor);
      one.set("label", label);
      one.set("sentence", sentence);
      return one;
    };
    verdicts.push_back(entry(verdict_of(c)));
    for (const std::string& doubt : doubts_of(c)) {
      // What the fit warned of, its check and its forecast repeat.
      if (std::find(told.begin(), told.end(), doubt) != told.end()) continue;
      told.push_back(doubt);
      doubts.push_back(entry(doubt));
    }
    if (!c.text.empty()) {
      data text;
      text.set("label", label);
      text.set("text", c.text);
      texts.push_back(text);
    }
    if (!left_out) chapters.push_back(chapter_data(record, i, id, ++number, heading));
  }
  out.set("id", id);
  out.set("h1", several ? "h2" : "h1");
  out.set("h2", heading);
  out.set("lead", lead);
  out.set("title", record.title);
  out.set("series", series_of(record));
  out.set("account", fmt::format("{}Run on {}.", account_of(record), record.written));
  out.set("verdicts", verdicts);
  out.set("has_doubts", !told.empty());
  out.set("doubts", doubts);
  out.set("has_changes", record.changes.has_value());
  out.set("changes", list_of(record.changes && record.changes->empty()
                                 ? std::vector<std::string>{"Nothing."}
                                 : record.changes.value_or(std::vector<std::string>{})));
  const ReportChapter* ahead = chapter_of(record, "forecast");
  out.set("has_ahead", ahead != nullptr);
  if (ahead) {
    std::string panel;
    for (const ReportPanel& p : ahead->panels)
      panel += html_of(p, ahead->figures.empty() ? "" : id + "-ahead");
    if (!ahead->figures.empty()) panel += html_of(ahead->figures.front(), id + "-ahead");
    out.set("ahead_panel", panel);
    out.set("ahead_table", html_of(volatility_ahead(Json::parse(ahead->document))));
  }
  out.set("chapters", chapters);
  out.set("texts", texts);
  out.set("has_file", !record.file.empty());
  out.set("file", record.file);
  out.set("made",
          fmt::format("Brace {}, run on {}; digest of data, study file and version {}. "
                      "The same data, file and version give the same digits: what is "
                      "drawn at random is drawn from the seeds that the file states, 1 where "
                      "it states none.",
                      record.version, record.written, record.digest));
  return out;
}

// One row a study: what it models, how volatile it will be, what is in doubt.
std::string summary_of(const std::vector<StudyRecord>& studies) {
  EvidenceTable out{.caption = "The studies in a row each",
                    .heads = {"study", "model", "persistence", "volatility one step ahead",
                              "last step", "residuals", "doubts"},
                    .rows = {},
                    .words = {true, true, false, false, false, true, false}};
  for (const StudyRecord& s : studies) {
    std::vector<std::string> row{s.title, "", "", "", "", "", ""};
    if (const ReportChapter* fit = chapter_of(s, "fit")) {
      const Json r = Json::parse(fit->document)["result"];
      row[1] = r["model"].get<std::string>();
      if (r["persistence"].is_number()) row[2] = text::fixed(r["persistence"].get<double>(), 3);
    }
    if (const ReportChapter* ahead = chapter_of(s, "forecast")) {
      const EvidenceTable steps = volatility_ahead(Json::parse(ahead->document));
      if (!steps.rows.empty()) {
        row[3] = steps.rows.front()[2];
        row[4] = steps.rows.back()[2];
      }
    }
    if (const ReportChapter* check = chapter_of(s, "check")) {
      row[5] = Json::parse(check->document)["result"]["verdict"].get<std::string>();
      std::replace(row[5].begin(), row[5].end(), '-', ' ');
    }
    std::vector<std::string> told;
    for (const ReportChapter& c : s.chapters)
      for (const std::string& doubt : doubts_of(c))
        if (std::find(told.begin(), told.end(), doubt) == told.end()) told.push_back(doubt);
    row[6] = std::to_string(told.size());
    out.rows.push_back(std::move(row));
  }
  return html_of(out);
}

}  // namespace

std::string question_of(const std::string& step) {
  return words_of_step(step).question;
}

std::string html_report(const std::vector<StudyRecord>& studies) {
  const bool several = studies.size() > 1;
  kainjow::mustache::mustache page{std::string(assets::kTemplate)};
  page.set_custom_escape(escaped);
  data all, list{data::type::list};
  bool live = false;
  for (std::size_t i = 0; i < studies.size(); ++i) {
    list.push_back(study_data(studies[i], fmt::format("s{}", i + 1), several, i == 0));
    for (const ReportChapter& c : studies[i].chapters) live = live || !c.panels.empty();
  }
  all.set("title", several           ? "Studies side by side"
                   : studies.empty() ? std::string("No study")
                                     : studies.front().title);
  all.set("together", several);
  all.set("count", std::to_string(studies.size()));
  if (several) all.set("summary", summary_of(studies));
  all.set("studies", list);
  all.set("style", std::string(assets::kStyle));
  all.set("scripts", live);
  all.set("library", std::string(assets::kChartLibrary));
  all.set("script", std::string(assets::kScript));
  all.set("footer",
          fmt::format("Written by Brace {}. Nothing on this page is fetched.", version()));
  return page.render(all);
}

}  // namespace brace::inline v0
