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
namespace {

Advice tried(const Fit& fit, const std::vector<Model>& models) {
  Advice advice;
  if (models.empty()) return advice;
  EstimateOptions options;
  options.likelihood = LikelihoodKind::conditional;  // on the same footing as a variance equation
  options.hessian_errors_only = true;
  const auto series = std::make_shared<const Series>(fit.window());
  std::vector<FitJob> jobs{{.model = fit.model, .series = series, .options = options}};
  for (const Model& model : models)
    jobs.push_back({.model = canonical(model), .series = series, .options = options});
  std::vector<Fit> fits;
  try {
    fits = values_of(fit_many(jobs, {}, Executor(1)));
  } catch (const Error&) {
    return advice;  // too few rows for the larger models
  }
  const Fit* best = nullptr;
  for (std::size_t i = 1; i < fits.size(); ++i) {
    advice.tried.push_back(to_string(jobs[i].model));
    if (fits[i].usable() && fits[i].bic && (!best || *fits[i].bic < *best->bic)) best = &fits[i];
  }
  const std::optional<double> own = fits.front().bic;
  if (best && own && *best->bic < *own) {
    advice.better = to_string(best->model);
    advice.gained = *own - *best->bic;
  }
  return advice;
}

// The model with another variance equation or law; what is held of the old one is free.
Model with_variance(const Fit& fit, const Variance& family) {
  Model model = fit.model;
  const std::vector<std::string> old = parameter_names(fit.model).variance;
  std::erase_if(model.held, [&](const Held& held) {
    return std::find(old.begin(), old.end(), held.name) != old.end();
  });
  model.variance = family;
  return model;
}

}  // namespace

bool has_signs(const Variance& family) {
  return std::holds_alternative<Gjr>(family) || std::holds_alternative<Egarch>(family) ||
         std::holds_alternative<Aparch>(family);
}

Advice advice_on_mean(const Fit& fit, int lag) {
  std::vector<Model> models;
  for (Lags Mean::*set : {&Mean::ar, &Mean::ma}) {
    const Lags& lags = fit.model.mean.*set;
    if (std::find(lags.begin(), lags.end(), lag) != lags.end()) continue;
    Model model = fit.model;
    (model.mean.*set).push_back(lag);
    models.push_back(std::move(model));
  }
  return tried(fit, models);
}

Advice advice_on_variance(const Fit& fit, int lag) {
  if (std::holds_alternative<Steady>(fit.model.variance))
    return tried(fit, {with_variance(fit, Garch{})});
  std::vector<Model> models;
  Variance longer = fit.model.variance;
  std::visit(
      [&](auto& family) {
        if constexpr (requires { family.e; })
          if (std::find(family.e.begin(), family.e.end(), lag) == family.e.end()) {
            family.e.push_back(lag);
            models.push_back(with_variance(fit, family));
          }
      },
      longer);
  if (!has_signs(fit.model.variance)) models.push_back(with_variance(fit, Gjr{}));
  if (!std::holds_alternative<TwoComponents>(fit.model.variance))
    models.push_back(with_variance(fit, TwoComponents{}));
  return tried(fit, models);
}

Advice advice_on_signs(const Fit& fit) {
  std::vector<Model> models(2, fit.model);
  models[0].variance = Gjr{};
  models[1].variance = Egarch{};
  for (Model& model : models)
    std::erase_if(model.held, [&](const Held& held) {
      const std::vector<std::string> names = parameter_names(model).all();
      return std::find(names.begin(), names.end(), held.name) == names.end();
    });
  return tried(fit, models);
}

Advice advice_on_law(const Fit& fit) {
  std::vector<Model> models;
  const auto with = [&](const Shocks& law) {
    Model model = fit.model;
    model.shocks = law;
    std::erase_if(model.held,
                  [](const Held& held) { return held.name == "nu" || held.name == "skew"; });
    models.push_back(std::move(model));
  };
  if (std::holds_alternative<Normal>(fit.model.shocks)) with(Student{});
  if (!std::holds_alternative<SkewStudent>(fit.model.shocks)) with(SkewStudent{});
  return tried(fit, models);
}

}  // namespace brace::inline v0
