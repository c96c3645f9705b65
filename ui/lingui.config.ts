import { defineConfig } from "@lingui/cli";
import { formatter } from "@lingui/format-po";

/** Every text of the interface stands in `src/common/en.po`, gathered from where it is used by `npm run wording`. */
export default defineConfig({
  sourceLocale: "en",
  locales: ["en"],
  catalogs: [{ path: "<rootDir>/src/common/{locale}", include: ["src"], exclude: ["**/*.test.*", "src/testing/**"] }],
  format: formatter({ lineNumbers: false }),
  runtimeConfigModule: { i18n: ["@awl/wording", "i18n"], Trans: ["@awl/wording", "Trans"] },
});
