// Runs scenario.py under MicroPython: node run.mjs FOLDER-OF-LUMEK
import { loadMicroPython } from "@micropython/micropython-webassembly-pyscript/micropython.mjs";
import { readFileSync, readdirSync, statSync } from "node:fs";
import { dirname, join, relative } from "node:path";
import { fileURLToPath } from "node:url";

const lumek = process.argv[2];
const python = await loadMicroPython({ heapsize: 2 * 1024 * 1024, linebuffer: true, stdout: (line) => console.log(line) });

function copy(folder) {
  python.FS.mkdir(join("/lib/lumek", relative(lumek, folder)));
  for (const name of readdirSync(folder)) {
    const path = join(folder, name);
    if (statSync(path).isDirectory()) copy(path);
    else if (name.endsWith(".py")) python.FS.writeFile(join("/lib/lumek", relative(lumek, path)), readFileSync(path));
  }
}

if (!python.FS.analyzePath("/lib").exists) python.FS.mkdir("/lib");
copy(lumek);
try {
  python.runPython(readFileSync(join(dirname(fileURLToPath(import.meta.url)), "scenario.py"), "utf8"));
} catch (error) {
  console.error(error.message);
  process.exit(1);
}
