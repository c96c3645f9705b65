import js from "@eslint/js";
import lingui from "eslint-plugin-lingui";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

/** Texts a reader sees are marked for the catalogue; what looks like a name, an address, a style or a colour is none. */
const wording = {
  useTsTypes: true,
  ignore: [
    "^[a-z0-9_:/.#%\\[\\]=>*(){}\"'$?&@|^,;-]+$",
    "^[A-Z0-9_-]+$",
    "^EPSG:\\d+$|T12:00$|^[a-z]{2}-[A-Z]{2}$",
    "^fid IN|^\\w+ [<>=*] ",
    "^(Multi)?(Point|LineString|Polygon)$|^Feature(Collection)?$|^(GeoPackage|GeoJSON|Parquet)$",
    "^IBM Plex|^& |!important$|^<i>",
  ],
  ignoreNames: [{ regex: { pattern: "className$" } }, "style", "sx"],
  ignoreFunctions: ["Error", "useScreen", "*.setRequestHeader", "*.addEventListener", "*.removeEventListener", "*.replace", "*.closest"],
};

export default tseslint.config(
  { ignores: ["dist", "src/api/schema.d.ts"] },
  js.configs.recommended,
  ...tseslint.configs.recommendedTypeChecked,
  {
    languageOptions: { parserOptions: { project: "./tsconfig.json" } },
    plugins: { "react-hooks": hooks },
    rules: {
      "react-hooks/rules-of-hooks": "error",
      "react-hooks/exhaustive-deps": "error",
      // Inputs are JSON values of any kind; turning them into text is deliberate where it happens.
      "@typescript-eslint/no-base-to-string": "off",
      "@typescript-eslint/no-misused-promises": ["error", { checksVoidReturn: false }],
    },
  },
  {
    files: ["src/**/*.ts", "src/**/*.tsx"],
    // What a form says comes with its page, from the server.
    ignores: ["**/*.test.*", "src/testing/**", "src/form/**", "src/theme.ts", "src/map/style.ts", "src/map/StreetLayer.ts", "src/map/DotLayer.ts", "src/map/PeopleCanvas.ts", "src/features/results/grid.ts"],
    plugins: { lingui },
    rules: { "lingui/no-unlocalized-strings": ["error", wording], "lingui/no-single-tag-to-translate": "error" },
  },
  { files: ["*.js", "*.ts"], ...tseslint.configs.disableTypeChecked },
);
