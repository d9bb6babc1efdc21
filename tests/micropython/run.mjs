// Runs scenario.py under MicroPython: node run.mjs FOLDER, which has lumek in it
import { readFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { board } from "./board.mjs";

const python = await board(process.argv[2]);
try {
  python.runPython(readFileSync(join(dirname(fileURLToPath(import.meta.url)), "scenario.py"), "utf8"));
} catch (error) {
  console.error(error.message);
  process.exit(1);
}
