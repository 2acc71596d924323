// SPDX-License-Identifier: Apache-2.0
// Models tried in place of one that a check found wanting. Covered by
// tests/estimation/estimate_test.cpp and tests/tool/verdicts_test.cpp.
#include "diagnosis/advice.hpp"

#include <algorithm>
#include <memory>

#include "brace/base/error.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/model/model_line.hpp"

namespace brace::inline v0 {

bool Adviser::try_all(const std::vector<Model>& models) {
  EstimateOptions options;
  options.likelihood = LikelihoodKind::conditional;  // on the same footing as a variance equation
  options.hessian_errors_only = true;
  const auto series = std::make_shared<const Series>(fit_.window());
  std::vector<FitJob> jobs;
  for (const Model& model : models)
    if (!tried_.contains(to_string(model)))
      jobs.push_back({.model = model, .series = series, .options = options});
  try {
    const std::vector<Fit> fits = values_of(fit_many(jobs, {}, Executor(1)));
    for (std::size_t i = 0; i < jobs.size(); ++i)
      tried_[to_string(jobs[i].model)] = {fits[i].usable(), fits[i].bic};
    return true;
  } catch (const Error&) {
    return false;
  }
}

Advice Adviser::best_of(const std::vector<Model>& given) {
  Advice advice;
  if (given.empty()) return advice;
  std::vector<Model> models{canonical(fit_.model)};
  for (const Model& model : given) models.push_back(canonical(model));
  if (!try_all(models)) return advice;
  const std::optional<double> own = tried_[to_string(models.front())].bic;
  std::optional<double> lowest;
  for (std::size_t i = 1; i < models.size(); ++i) {
    advice.tried.push_back(to_string(models[i]));
    const Tried& here = tried_[advice.tried.back()];
    if (!here.usable || !here.bic || (lowest && *here.bic >= *lowest)) continue;
    lowest = here.bic;
    advice.better = advice.tried.back();
  }
  if (lowest && own && *lowest < *own)
    advice.gained = *own - *lowest;
  else
    advice.better.reset();
  return advice;
}

// The model with another variance equation; what is held of the old one is free.
Model Adviser::with_variance(const Variance& family) const {
  Model model = fit_.model;
  const std::vector<std::string> old = parameter_names(fit_.model).variance;
  std::erase_if(model.held, [&](const Held& held) {
    return std::find(old.begin(), old.end(), held.name) != old.end();
  });
  model.variance = family;
  return model;
}

bool has_signs(const Variance& family) {
  return std::holds_alternative<Gjr>(family) || std::holds_alternative<Egarch>(family) ||
         std::holds_alternative<Aparch>(family);
}

Advice Adviser::on_mean(int lag) {
  std::vector<Model> models;
  for (Lags Mean::*set : {&Mean::ar, &Mean::ma}) {
    const Lags& lags = fit_.model.mean.*set;
    if (std::find(lags.begin(), lags.end(), lag) != lags.end()) continue;
    Model model = fit_.model;
    (model.mean.*set).push_back(lag);
    models.push_back(std::move(model));
  }
  return best_of(models);
}

Advice Adviser::on_variance(int lag) {
  if (std::holds_alternative<Steady>(fit_.model.variance)) return best_of({with_variance(Garch{})});
  std::vector<Model> models;
  Variance longer = fit_.model.variance;
  std::visit(
      [&](auto& family) {
        if constexpr (requires { family.e; })
          if (std::find(family.e.begin(), family.e.end(), lag) == family.e.end()) {
            family.e.push_back(lag);
            models.push_back(with_variance(family));
          }
      },
      longer);
  if (!has_signs(fit_.model.variance)) models.push_back(with_variance(Gjr{}));
  if (!std::holds_alternative<TwoComponents>(fit_.model.variance))
    models.push_back(with_variance(TwoComponents{}));
  return best_of(models);
}

Advice Adviser::on_signs() {
  std::vector<Model> models(2, fit_.model);
  models[0].variance = Gjr{};
  models[1].variance = Egarch{};
  for (Model& model : models)
    std::erase_if(model.held, [&](const Held& held) {
      const std::vector<std::string> names = parameter_names(model).all();
      return std::find(names.begin(), names.end(), held.name) == names.end();
    });
  return best_of(models);
}

Advice Adviser::on_law() {
  std::vector<Model> models;
  const auto with = [&](const Shocks& law) {
    Model model = fit_.model;
    model.shocks = law;
    std::erase_if(model.held,
                  [](const Held& held) { return held.name == "nu" || held.name == "skew"; });
    models.push_back(std::move(model));
  };
  if (std::holds_alternative<Normal>(fit_.model.shocks)) with(Student{});
  if (!std::holds_alternative<SkewStudent>(fit_.model.shocks)) with(SkewStudent{});
  return best_of(models);
}

}  // namespace brace::inline v0
