// SPDX-License-Identifier: GPL-3.0-or-later
// What became of the light, as HTML and as a table.
#include "base/text.h"
#include "core/cli_runner.h"
#include "output/light_report.h"
#include "output/svg_chart.h"

namespace tsukimi {
namespace {
using test::run;
using test::shot_folder;

std::string contents(const fs::path& file) {
  const auto bytes = *read_file(file);
  return {bytes.begin(), bytes.end()};
}

int count_of(const std::string& text, const std::string& what) {
  int n = 0;
  for (auto at = text.find(what); at != text.npos; at = text.find(what, at + 1)) ++n;
  return n;
}

TEST(Report, SaysWhatMeasureSaysAndNeedsNothingElse) {
  TempDir dir;
  const std::string shoot = (dir / "s.tsukimi").string(), to = (dir / "r.html").string();
  ASSERT_EQ(run("plan " + shot_folder().string() + " --out " + shoot +
                " --keys 0,6 --set exposure=1 --level --deflicker 8")
                .code,
            0);
  const auto done = run("report " + shoot + " --to " + to);
  ASSERT_EQ(done.code, 0) << done.err;
  const std::string html = contents(to);
  EXPECT_EQ(html.rfind("<!doctype html>", 0), 0u);
  EXPECT_NE(html.find("</html>"), html.npos);
  for (const char* elsewhere : {"http://", "https://", "src=\"/", "<script", "<link"})
    EXPECT_EQ(html.find(elsewhere), html.npos) << elsewhere;
  const auto measured = nlohmann::json::parse(run("measure " + shoot + " --json").out);
  const auto& summary = measured.at("summary");
  char left[60];
  std::snprintf(left, sizeof left, "Flicker %.2f %%, now %.2f %%",
                summary["deflicker"]["before_median"].get<double>(),
                summary["deflicker"]["left_median"].get<double>());
  EXPECT_NE(html.find(left), html.npos) << left;
  for (const auto& step : summary["level"]["steps"]) {
    char row[60];
    std::snprintf(row, sizeof row, "<td class=n>%+.3f</td></tr>", step["measured"].get<double>());
    EXPECT_NE(html.find(row), html.npos) << row;
  }
  EXPECT_EQ(count_of(html, "<svg"), 4);
  EXPECT_EQ(count_of(html, "data:image/jpeg;base64,/9j/"), 2) << "a picture of each key frame";
  // What is there already stays.
  const auto again = run("report " + shoot + " --to " + to);
  EXPECT_EQ(again.code, 1);
  EXPECT_EQ(contents(to), html);
  EXPECT_EQ(run("report " + shoot + " --to " + to + " --overwrite").code, 0);
  EXPECT_EQ(contents(to), html) << "the same at every time";
}

TEST(Report, IsPutOverNoPictureAndNotAmongTheFrames) {
  TempDir dir;
  const std::string shoot = (dir / "s.tsukimi").string();
  ASSERT_EQ(run("plan " + shot_folder().string() + " --out " + shoot).code, 0);
  ASSERT_TRUE(write_file(dir / "a.jpg", std::string_view("a picture"), IfExists::keep));
  EXPECT_EQ(run("report " + shoot + " --overwrite --to " + (dir / "a.jpg").string()).code, 1);
  EXPECT_EQ(contents(dir / "a.jpg"), "a picture");
  const auto among = run("report " + shoot + " --to " + (shot_folder() / "r.html").string());
  EXPECT_EQ(among.code, 1) << among.err;
  EXPECT_FALSE(fs::exists(shot_folder() / "r.html"));
}

TEST(Report, TheTableHasALinePerFrame) {
  TempDir dir;
  const std::string shoot = (dir / "s.tsukimi").string();
  ASSERT_EQ(run("plan " + shot_folder().string() + " --out " + shoot + " --level").code, 0);
  const auto table = run("measure " + shoot + " --csv");
  ASSERT_EQ(table.code, 0) << table.err;
  const auto measured = nlohmann::json::parse(run("measure " + shoot + " --json").out);
  std::istringstream lines(table.out);
  std::string line;
  std::getline(lines, line);
  EXPECT_EQ(line.rfind("index,file,shutter_s,", 0), 0u) << line;
  const auto columns = count_of(line, ",");
  for (const auto& frame : measured.at("frames")) {
    ASSERT_TRUE(std::getline(lines, line));
    EXPECT_EQ(count_of(line, ","), columns);
    char begin[90], numbers[90];
    std::snprintf(begin, sizeof begin, "%d,\"%s\",", frame["index"].get<int>(),
                  frame["file"].get<std::string>().c_str());
    EXPECT_EQ(line.rfind(begin, 0), 0u) << line;
    std::snprintf(numbers, sizeof numbers, ",%.6g,%.6g,", frame["as_shot"].get<double>(),
                  frame["levelled"].get<double>());
    EXPECT_NE(line.find(numbers), line.npos) << line << numbers;
  }
  EXPECT_FALSE(std::getline(lines, line));
  EXPECT_EQ(run("measure " + shoot + " --csv --json").code, 2);
}

TEST(Report, NamesAndGapsDoNoHarm) {
  EXPECT_EQ(markup("a<b>&\"c"), "a&lt;b&gt;&amp;&quot;c");
  const double none = std::numeric_limits<double>::quiet_NaN();
  const std::string svg =
      svg_of({"A<b", "", {{"x", "red", {1, 2, none, 3, none}}, {"y", "blue", {}}}, {4}});
  EXPECT_EQ(svg.find("nan"), svg.npos) << svg;
  EXPECT_EQ(svg.find("A<b"), svg.npos);
  EXPECT_EQ(count_of(svg, "M"), 2) << "a line begins anew behind a gap";
  EXPECT_EQ(svg_of({"none", "", {}, {}}).find("nan"), std::string::npos);
}

}  // namespace
}  // namespace tsukimi
