// What blocks of statements cost in memory: node heap.mjs FOLDER BLOCK ... prints for each the bytes of the heap that are
// in use after it, and before the garbage was collected. Between two blocks nothing is on the stack, so all of it is found.
import { board } from "./board.mjs";

const python = await board(process.argv[2]);
const used = () => {
  python.runPython("import gc; _used = gc.mem_alloc()");
  return Number(python.globals.get("_used"));
};
const collected = () => {
  python.runPython("gc.collect()");
  python.runPython("gc.collect()");
  return used();
};
python.runPython("import gc");
console.log(`${collected()} ${used()}`);
for (const block of process.argv.slice(3)) {
  python.runPython(block);
  const before = used();
  console.log(`${collected()} ${before}`);
}
