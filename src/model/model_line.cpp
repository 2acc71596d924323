// SPDX-License-Identifier: Apache-2.0
// Parser and printer of the model line; grammar in docs/model-line.md. Covered by
// tests/model/model_line_test.cpp.
#include "brace/model/model_line.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <charconv>
#include <ostream>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "model/spelling.hpp"

namespace brace::inline v0 {
namespace {

constexpr std::string_view kLetters =
    "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_.-";

struct Token {
  std::string_view text;
  std::size_t at;  // offset in the line
};

template <class T>
std::optional<T> number_from(std::string_view text) {
  T value{};
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size() || text.empty()) return std::nullopt;
  return value;
}

// Sets `variant` to the member of that word, if there is one.
template <class... Members>
bool name_member(std::string_view word, std::variant<Members...>& variant) {
  return ((word == Members::word && (variant = Members{}, true)) || ...);
}

// "tue" for a weekday or "feb" for a month.
std::string short_name(Regressor::Source source, int category) {
  std::string name(source == Regressor::Source::weekday
                       ? weekday_name(static_cast<unsigned>(category))
                       : month_name(static_cast<unsigned>(category)));
  name.resize(3);
  name[0] = static_cast<char>(name[0] - 'A' + 'a');
  return name;
}

// A date without blanks: 2019-05-02T14:00.
std::string date_word(Timestamp when) {
  std::string word = format_date(when);
  std::replace(word.begin(), word.end(), ' ', 'T');
  return word;
}

std::optional<int> category_from(Regressor::Source source, std::string_view name) {
  const bool weekday = source == Regressor::Source::weekday;
  for (int c = weekday ? 0 : 1; c <= (weekday ? 6 : 12); ++c)
    if (short_name(source, c) == name) return c;
  return std::nullopt;
}

class Parser {
 public:
  explicit Parser(std::string_view line) : line_(line) { split(); }

  Model parse() {
    read_mean(parts_[0]);
    if (parts_.size() > 1) read_variance(parts_[1]);
    if (parts_.size() > 2) read_shocks(parts_[2]);
    return canonical(std::move(model_));
  }

 private:
  using Part = std::vector<Token>;

  // Points at the token: the line is repeated and underlined.
  [[noreturn]] void fail(const Token& token, const std::string& what) const {
    throw Error(
        ErrorCode::bad_model_line,
        fmt::format(
            "model line: {}   {}\n{}{}", what, line_,
            std::string(std::string_view("model line:    ").size() + what.size() + token.at, ' '),
            std::string(std::max<std::size_t>(1, token.text.size()), '^')));
  }

  // What someone who writes models another way means: orders in brackets, a slash without blanks,
  // capitals. Empty where it is none of these.
  static std::string mend_of(std::string_view text, const std::vector<std::string>& known) {
    if (const auto slash = text.find('/'); slash != std::string_view::npos && text.size() > 1)
      return fmt::format("put blanks around each /: '{}'", spaced(text));
    std::string small(text);
    std::transform(small.begin(), small.end(), small.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    const std::size_t open = small.find('(');
    if (open == std::string::npos) {
      const std::string stem = small.substr(0, small.find_first_of("0123456789=:"));
      return small != text && std::find(known.begin(), known.end(), stem) != known.end()
                 ? fmt::format("write it in small letters: {}", small)
                 : "";
    }
    const std::string name = small.substr(0, open);
    std::vector<int> orders;
    for (std::size_t at = open + 1; at < small.size();) {
      const std::size_t end = std::min(small.find_first_of(",)", at), small.size());
      const auto order = number_from<int>(std::string_view(small).substr(at, end - at));
      if (!order || *order < 0 || *order > 99)
        return "orders in brackets are written as lags, ar1 ma1";
      orders.push_back(*order);
      at = end + 1;
      if (small[end == small.size() ? end - 1 : end] == ')') break;
    }
    const auto lags = [](const char* stem, int order) {
      return order == 0   ? std::string()
             : order == 1 ? fmt::format("{}1", stem)
                          : fmt::format("{}1..{}", stem, order);
    };
    if (orders.empty()) return "orders in brackets are written as lags, ar1 ma1";
    const int first = orders.front(), last = orders.back();
    if (name == "ar" || name == "ma") return fmt::format("write {}", lags(name.c_str(), first));
    if (name.starts_with("ar") && name.ends_with("ma") && orders.size() >= 2) {
      std::string words;
      for (int d = 0; orders.size() > 2 && d < orders[1]; ++d) words += "diff1 ";
      const std::string ar = lags("ar", first), ma = lags("ma", last);
      return fmt::format("write {}{}{}{}", words, ar, ar.empty() || ma.empty() ? "" : " ", ma);
    }
    if (std::find(kFamilies.begin(), kFamilies.end(), name) != kFamilies.end())
      return fmt::format(
          "write {}, or with its lags {} e1 h1 (e: lagged shocks, h: lagged "
          "variances), after a / in the second part",
          name, name);
    return "orders in brackets are written as lags, ar1 ma1";
  }

  static std::string spaced(std::string_view text) {
    std::string out;
    for (const char c : text) out += c == '/' ? std::string(" / ") : std::string(1, c);
    return out;
  }

  [[noreturn]] void fail_unknown(const Token& token, std::string_view kind,
                                 std::vector<std::string> known) const {
    if (const std::string mend = mend_of(token.text, known); !mend.empty())
      fail(token, fmt::format("'{}' is not a {} term; {}", token.text, kind, mend));
    // Judge the word without its lags: 'arr1' is near 'ar'.
    const std::string_view stem = token.text.substr(0, token.text.find_first_of("0123456789=:"));
    std::string words = fmt::format("{}", fmt::join(known, ", "));
    const auto near = text::nearest(stem.empty() ? token.text : stem, known);
    fail(token,
         near ? fmt::format("'{}' is not a {} term (did you mean '{}'?)", token.text, kind, *near)
              : fmt::format("'{}' is not a {} term; these are: {}", token.text, kind, words));
  }

  void split() {
    parts_.emplace_back();
    std::size_t at = 0;
    while (at < line_.size()) {
      if (line_[at] == ' ' || line_[at] == '\t') {
        ++at;
        continue;
      }
      const std::size_t start = at;
      bool quoted = false;
      while (at < line_.size() && (quoted || (line_[at] != ' ' && line_[at] != '\t'))) {
        if (line_[at] == '\'') quoted = !quoted;
        ++at;
      }
      const Token token{line_.substr(start, at - start), start};
      if (quoted) fail(token, "a quote is opened and not closed");
      if (token.text != "/") {
        parts_.back().push_back(token);
        continue;
      }
      if (parts_.size() == 3) fail(token, "a model has three parts: mean / variance / shocks");
      if (parts_.back().empty()) fail(token, "the part before this '/' is empty");
      parts_.emplace_back();
    }
    if (parts_.back().empty())
      fail({line_.substr(line_.size()), line_.size()},
           parts_.size() == 1 ? "it is empty; the simplest model is 'const'"
                              : "the part after the last '/' is empty");
  }

  // "1..3,5" after `skip` letters of the token.
  [[nodiscard]] Lags lags_of(const Token& token, std::size_t skip) const {
    Lags lags;
    std::string_view rest = token.text.substr(skip);
    while (!rest.empty()) {
      const std::size_t comma = std::min(rest.find(','), rest.size());
      const std::string_view item = rest.substr(0, comma);
      const std::size_t dots = item.find("..");
      const auto from = number_from<int>(item.substr(0, dots));
      const auto to =
          dots == std::string_view::npos ? from : number_from<int>(item.substr(dots + 2));
      if (!from || !to || *from < 1 || *to < *from || *to > 10000)
        fail(token, fmt::format("'{}' is not a set of lags; write 1..3,5 without blanks", item));
      for (int lag = *from; lag <= *to; ++lag) lags.push_back(lag);
      if (comma == rest.size() - 1) fail(token, "a lag is missing after the comma");
      rest = comma < rest.size() ? rest.substr(comma + 1) : std::string_view{};
    }
    if (lags.empty())
      fail(token, fmt::format("'{}' needs its lags, such as {}1", token.text, token.text));
    return lags;
  }

  // True when the token is `word` followed by lags, which are added to `lags`.
  bool read_lags(const Token& token, std::string_view word, Lags& lags) const {
    if (!token.text.starts_with(word)) return false;
    const std::string_view rest = token.text.substr(word.size());
    if (!rest.empty() && (rest[0] < '0' || rest[0] > '9')) return false;
    const Lags more = lags_of(token, word.size());
    lags.insert(lags.end(), more.begin(), more.end());
    return true;
  }

  bool read_held(const Token& token) {
    const std::size_t equals = token.text.rfind('=');
    if (equals == std::string_view::npos) return false;
    const auto value = number_from<double>(token.text.substr(equals + 1));
    if (!value) fail(token, "after '=' comes a number");
    model_.held.push_back({std::string(token.text.substr(0, equals)), *value});
    return true;
  }

  const Token& argument(const Part& part, std::size_t& i, const std::string& what) const {
    if (i + 1 == part.size()) fail(part[i], fmt::format("'{}' needs {}", part[i].text, what));
    return part[++i];
  }

  void read_regressors(const Token& token, std::vector<Regressor>& into) const {
    std::string_view rest = token.text;
    while (!rest.empty()) {
      Regressor r;
      std::string_view name;
      if (rest[0] == '\'') {
        const std::size_t close = rest.find('\'', 1);
        name = rest.substr(1, close - 1);
        rest.remove_prefix(close + 1);
      } else {
        const std::size_t end = std::min(rest.find_first_of(",@'"), rest.size());
        name = rest.substr(0, end);
        rest.remove_prefix(end);
        read_dummy(token, name, r);
      }
      if (r.source == Regressor::Source::column) {
        if (name.empty()) fail(token, "a regressor has no name");
        r.column = name;
        if (rest.starts_with('@')) {
          const std::size_t end = std::min(rest.find(','), rest.size());
          const auto rows = number_from<int>(rest.substr(1, end - 1));
          if (!rows || *rows < 1) fail(token, "after '@' comes how many rows earlier, from 1");
          r.rows_earlier = *rows;
          rest.remove_prefix(end);
        }
      }
      if (!rest.empty() && rest[0] != ',')
        fail(token, "regressors are parted by commas, without blanks");
      if (rest == ",") fail(token, "a regressor is missing after the comma");
      if (!rest.empty()) rest.remove_prefix(1);
      into.push_back(std::move(r));
    }
  }

  void read_dummy(const Token& token, std::string_view name, Regressor& r) const {
    using Source = Regressor::Source;
    for (const Source source : {Source::weekday, Source::month}) {
      const std::string_view word = source == Source::weekday ? "weekday" : "month";
      if (name == word) r.source = source;
      if (!name.starts_with(word) || name.size() <= word.size() || name[word.size()] != ':')
        continue;
      r.source = source;
      const auto category = category_from(source, name.substr(word.size() + 1));
      if (!category)
        fail(token, fmt::format("after '{}:' come three letters, such as {}", word,
                                source == Source::weekday ? "tue" : "feb"));
      r.category = *category;
    }
    for (const auto& [word, source] : {std::pair{std::string_view("step:"), Source::step},
                                       std::pair{std::string_view("pulse:"), Source::pulse},
                                       std::pair{std::string_view("fade:"), Source::fade}})
      if (name.starts_with(word)) {
        r.source = source;
        r.at = parse_date(name.substr(word.size()));
        if (!r.at) fail(token, fmt::format("after '{}' comes a date, such as 2019-05-02", word));
      }
  }

  void read_mean(const Part& part) {
    Mean& mean = model_.mean;
    bool zero = false, constant = false;
    const Token* at_zero = nullptr;
    for (std::size_t i = 0; i < part.size(); ++i) {
      const Token& token = part[i];
      if (token.text == "zero") {
        zero = true;
        at_zero = &token;
      } else if (token.text == "const") {
        constant = true;
      } else if (token.text == "trend") {
        mean.trend = true;
      } else if (token.text == "harmonics") {
        const Token& arg = argument(part, i, "period:pairs, such as 24:3");
        const std::size_t colon = std::min(arg.text.find(':'), arg.text.size());
        const auto period = number_from<int>(arg.text.substr(0, colon));
        const auto pairs = number_from<int>(arg.text.substr(std::min(colon + 1, arg.text.size())));
        if (!period || !pairs) fail(arg, "harmonics take period:pairs, such as 24:3");
        mean.harmonics.push_back({*period, *pairs});
      } else if (token.text == "with") {
        read_regressors(argument(part, i, "the names of columns, such as volume,spread@1"),
                        mean.regressors);
      } else if (token.text == "risk") {
        const Token& arg = argument(part, i, "sd or variance");
        if (arg.text != "sd" && arg.text != "variance") fail(arg, "risk is of 'sd' or 'variance'");
        mean.risk = arg.text == "sd" ? RiskTerm::sd : RiskTerm::variance;
      } else if (!read_held(token) && !read_lags(token, "diff", mean.differences) &&
                 !read_lags(token, "ar", mean.ar) && !read_lags(token, "ma", mean.ma) &&
                 !read_lags(token, "sar", mean.seasonal_ar) &&
                 !read_lags(token, "sma", mean.seasonal_ma)) {
        fail_unknown(token, "mean", model_terms().mean);
      }
    }
    if (zero && (constant || mean.trend))
      fail(*at_zero, "'zero' leaves no room for 'const' or 'trend'");
    mean.constant = constant || (!zero && mean.differences.empty());
  }

  void read_variance(const Part& part) {
    if (!name_member(part[0].text, model_.variance))
      fail_unknown(part[0], "variance", model_terms().variance);
    Lags shocks, variances;
    for (std::size_t i = 1; i < part.size(); ++i) {
      const Token& token = part[i];
      if (token.text == "vwith")
        read_regressors(argument(part, i, "the names of columns, such as volume@1"),
                        model_.variance_regressors);
      else if (read_held(token)) {
        continue;
      } else if (read_lags(token, "e", shocks)) {
        if (!shock_lags(model_.variance))
          fail(token, fmt::format("'{}' has no shock lags to choose", part[0].text));
      } else if (read_lags(token, "h", variances)) {
        if (!variance_lags(model_.variance))
          fail(token, fmt::format("'{}' has no variance lags to choose", part[0].text));
      } else {
        fail_unknown(token, "variance", {"e", "h", "vwith"});
      }
    }
    std::visit(
        [&](auto& family) {
          if constexpr (requires { family.e; })
            if (!shocks.empty()) family.e = shocks;
          if constexpr (requires { family.h; })
            if (!variances.empty()) family.h = variances;
        },
        model_.variance);
  }

  void read_shocks(const Part& part) {
    if (!name_member(part[0].text, model_.shocks))
      fail_unknown(part[0], "shock", model_terms().shocks);
    for (std::size_t i = 1; i < part.size(); ++i)
      if (!read_held(part[i])) fail_unknown(part[i], "shock", {"nu=", "skew="});
  }

  std::string_view line_;
  std::vector<Part> parts_;
  Model model_;
};

// {1,2,3,5} -> "1..3,5": runs of three and more are folded.
std::string spell(const Lags& lags) {
  std::string out;
  for (std::size_t i = 0; i < lags.size();) {
    std::size_t j = i;
    while (j + 1 < lags.size() && lags[j + 1] == lags[j] + 1) ++j;
    if (!out.empty()) out += ',';
    if (j - i >= 2) {
      out += fmt::format("{}..{}", lags[i], lags[j]);
      i = j + 1;
    } else {
      out += fmt::format("{}", lags[i++]);
    }
  }
  return out;
}

void add(std::string& part, const std::string& term) {
  if (!part.empty()) part += ' ';
  part += term;
}

void add_lags(std::string& part, std::string_view word, const Lags* lags) {
  if (lags && !lags->empty()) add(part, fmt::format("{}{}", word, spell(*lags)));
}

void add_regressors(std::string& part, std::string_view word,
                    const std::vector<Regressor>& regressors) {
  if (regressors.empty()) return;
  std::vector<std::string> names;
  for (const Regressor& r : regressors) names.push_back(spell(r));
  add(part, fmt::format("{} {}", word, fmt::join(names, ",")));
}

void add_held(std::string& part, const Model& model, const std::vector<std::string>& names) {
  for (const Held& held : model.held)
    if (std::find(names.begin(), names.end(), held.name) != names.end())
      add(part, fmt::format("{}={}", held.name, held.value));
}

}  // namespace

std::string spell(const Regressor& r) {
  switch (r.source) {
    case Regressor::Source::weekday:
    case Regressor::Source::month: {
      const std::string word = r.source == Regressor::Source::weekday ? "weekday" : "month";
      return !r.category ? word : word + ":" + short_name(r.source, *r.category);
    }
    case Regressor::Source::step: return "step:" + date_word(*r.at);
    case Regressor::Source::pulse: return "pulse:" + date_word(*r.at);
    case Regressor::Source::fade: return "fade:" + date_word(*r.at);
    case Regressor::Source::column: break;
  }
  // Quoted when it holds anything but letters, or would be read as a dummy.
  const bool plain = r.column.find_first_not_of(kLetters) == std::string::npos &&
                     r.column != "weekday" && r.column != "month";
  const std::string name = plain ? r.column : fmt::format("'{}'", r.column);
  return r.rows_earlier > 0 ? fmt::format("{}@{}", name, r.rows_earlier) : name;
}

ModelTerms model_terms() {
  return {.mean = {"zero", "const", "trend", "diff", "ar", "ma", "sar", "sma", "harmonics", "with",
                   "risk"},
          .variance = {kFamilies.begin(), kFamilies.end()},
          .shocks = {kLaws.begin(), kLaws.end()}};
}

Model parse_model(std::string_view line) {
  return Parser(line).parse();
}

std::string mean_part(const Model& model) {
  const Mean& m = model.mean;
  std::string part;
  if (m.constant) add(part, "const");
  if (!m.constant && !m.trend && m.differences.empty()) add(part, "zero");
  if (m.trend) add(part, "trend");
  for (const int d : m.differences) add(part, fmt::format("diff{}", d));
  add_lags(part, "ar", &m.ar);
  add_lags(part, "ma", &m.ma);
  add_lags(part, "sar", &m.seasonal_ar);
  add_lags(part, "sma", &m.seasonal_ma);
  for (const Harmonics& h : m.harmonics)
    add(part, fmt::format("harmonics {}:{}", h.period, h.pairs));
  add_regressors(part, "with", m.regressors);
  if (m.risk) add(part, m.risk == RiskTerm::sd ? "risk sd" : "risk variance");
  add_held(part, model, parameter_names(model).mean);
  return part;
}

std::string variance_part(const Model& model) {
  std::string part(family_name(model.variance));
  add_lags(part, "e", shock_lags(model.variance));
  add_lags(part, "h", variance_lags(model.variance));
  add_regressors(part, "vwith", model.variance_regressors);
  add_held(part, model, parameter_names(model).variance);
  return part;
}

std::string shocks_part(const Model& model) {
  std::string part(law_name(model.shocks));
  add_held(part, model, parameter_names(model).shocks);
  return part;
}

std::string to_string(const Model& model) {
  return mean_part(model) + " / " + variance_part(model) + " / " + shocks_part(model);
}

std::ostream& operator<<(std::ostream& out, const Model& model) {
  return out << to_string(model);
}

}  // namespace brace::inline v0
