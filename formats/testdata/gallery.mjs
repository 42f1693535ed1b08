// Writes the files of the gallery that other writers than openpyxl write: a workbook by exceljs
// 4.4.0 and Parquet by hyparquet-writer 0.17.0 (from npm, installed anywhere; the files they wrote
// are kept). Run it where the two are installed: node gallery.mjs FOLDER. Then run gallery.py.
import { writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { pathToFileURL } from "node:url";

const require = createRequire(process.cwd() + "/");
const folder = process.argv[2];
const T = [...Array(12).keys()].map((i) => 10 * i);
const SOC = T.map((_, i) => 10 + 0.5 * i);
const KW = [0, 40, 80, 120, 150, 150, 149.5, 149, 148.5, 148, 147.5, 147];
const AT = T.map((t) => new Date(Date.UTC(2026, 1, 3, 18, 20, 0) + t * 1000));

const ExcelJS = require("exceljs");
const book = new ExcelJS.Workbook();
const sheet = book.addWorksheet("Readings");
sheet.addRow(["Timestamp", "SoC (%)", "Power (kW)"]);
T.forEach((_, i) => {
  const row = sheet.addRow([AT[i], SOC[i], { formula: `1*${KW[i]}`, result: KW[i] }]);
  row.getCell(1).numFmt = "dd.mm.yyyy hh:mm:ss";
});
await book.xlsx.writeFile(`${folder}/exceljs.xlsx`);

const { parquetWriteBuffer } = await import(pathToFileURL(require.resolve("hyparquet-writer")).href);
const bytes = parquetWriteBuffer({
  columnData: [
    { name: "timestamp", data: AT, type: "TIMESTAMP" },
    { name: "soc", data: SOC, type: "DOUBLE" },
    { name: "power_kw_now", data: KW, type: "DOUBLE" },
    { name: "note", data: T.map((t) => `at ${t}`), type: "STRING" },
  ],
});
writeFileSync(`${folder}/hyparquet.parquet`, Buffer.from(bytes));
writeFileSync(
  `${folder}/hyparquet-seconds.parquet`,
  Buffer.from(
    parquetWriteBuffer({
      columnData: [
        { name: "t_s", data: T, type: "INT32" },
        { name: "soc_pct", data: SOC, type: "DOUBLE" },
        { name: "power_kw", data: KW.map((k, i) => (i === 3 ? null : k)), type: "DOUBLE", nullable: true },
      ],
    }),
  ),
);
