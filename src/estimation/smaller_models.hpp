// SPDX-License-Identifier: Apache-2.0
// Where a climb of the exact likelihood begins besides the guesses: at the maxima of the models
// that it contains. A term that is new begins at zero; a pair of factors, one AR and one MA, begins
// where the residuals of the model without it ask for it most.
//
//   SmallerModels smaller;  // one for all models of a mean on the same rows
//   for (const ScaledParameters& theta : smaller.pairs(problem)) climb(theta);
//
// So no model ends below one that it contains, and the hills that two factors next to one another
// make (a narrow peak or trough of the spectrum each) are looked at by a rule. A pair that cancels
// leaves the likelihood where it was, whatever it is made of: (1 - m B) / (1 - a B) with a = m. The
// gain of letting a go from m is, to first order, the score test of that one coefficient, a
// function of m that the autocorrelations of the residuals give at once (Godfrey 1979, Poskitt and
// Tremayne 1980); its highest points are where a pair begins. Pairs on the circle, whose terms do
// not die away within the sample, are looked at apart: troughs and peaks at the ends of the
// spectrum, and waves that the periodogram shows.
#pragma once

#include <Eigen/Dense>
#include <map>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "estimation/problem.hpp"

namespace brace::inline v0 {

class SmallerModels {
 public:
  // Whether a model's smaller ones are climbed at all: a pass over long lags costs so much that
  // those of seasonal factors would take longer than the model is worth.
  [[nodiscard]] static bool help(const Model& model);

  // The highest maximum of the models with one lag less, if there is one, in the problem's working
  // coordinates: carried over as coefficients, roots that crowd at the circle would lose the digits
  // that keep them there. Safe to call from several threads; what comes back does not depend on
  // what was asked before.
  [[nodiscard]] std::optional<WorkingPoint> highest_contained(Problem& problem);

  // The maxima of the models without a pair of factors, with the pairs that help them most. Minus
  // the log-likelihood of a model that was climbed to the end is `reached`: a pair on the circle,
  // which moves a narrow band of the spectrum alone, is not looked at where the model without it
  // lies far below a model of two terms.
  [[nodiscard]] std::vector<ScaledParameters> pairs(Problem& problem, double reached);

  // A maximum by its parameters, and in working coordinates by the names of their parameters.
  struct Top {
    ScaledParameters theta;
    std::map<std::string, double> working;
  };

  // The maximum of the problem's model, for those that contain it.
  void keep(const Problem& problem, const WorkingPoint& x);

  // Of a model that the problem's contains, or of itself, on its data; climbed to where it is not
  // known. Empty where there is none.
  [[nodiscard]] std::optional<Top> maximum(const Problem& problem, const Model& model);

 private:
  std::mutex guard_;
  std::map<std::string, std::optional<Top>> known_;  // by model line
};

}  // namespace brace::inline v0
