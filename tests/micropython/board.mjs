// A MicroPython with a folder as its /lib, all kinds of files in it.
import { loadMicroPython } from "@micropython/micropython-webassembly-pyscript/micropython.mjs";
import { readFileSync, readdirSync, statSync } from "node:fs";
import { join } from "node:path";

export async function board(folder) {
  const python = await loadMicroPython({ heapsize: 2 * 1024 * 1024, linebuffer: true, stdout: (line) => console.log(line) });
  const copy = (from, to) => {
    if (!python.FS.analyzePath(to).exists) python.FS.mkdir(to);
    for (const name of readdirSync(from)) {
      if (name === "__pycache__") continue;
      const [source, target] = [join(from, name), join(to, name)];
      if (statSync(source).isDirectory()) copy(source, target);
      else python.FS.writeFile(target, readFileSync(source));
    }
  };
  copy(folder, "/lib");
  return python;
}
