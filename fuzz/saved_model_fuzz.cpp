// SPDX-License-Identifier: Apache-2.0
// Saved models: what is read can be written and read again, and forecasts.
#include "brace/forecast/forecast.hpp"
#include "brace/io/files.hpp"
#include "brace/io/saved_model.hpp"
#include "promises.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string& path = fuzz::own_file("model.json");
  brace::write_whole(path, fuzz::text_of(data, size));
  return fuzz::answers([&] {
    const brace::Fit fit = brace::load_model(path);
    brace::save_model(fit, path);
    (void)brace::load_model(path);
    (void)brace::forecast(
        fit, {.horizon = 2, .method = brace::ForecastMethod::plug_in, .draws = 100, .paths = 1});
  });
}
