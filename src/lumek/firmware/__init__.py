"""What is written for boards: Lumek as far as a hookup needs it, small enough for their memory.

| module | is |
|---|---|
| `sources` | the portable modules without what boards do not need, all names in full |
| `constants`, `texts` | constants in their places, texts of errors in a file |
| `pieces`, `changes` | definitions on their way into files, and what is changed in them |
| `weave`, `placing` | what goes into the main file, and into the others; `choices`: what the code does not show |
| `files`, `mpy` | their texts, with short names, and their bytecode |
| `written`, `compiled_faces` | the modules that follow from a hookup file, and from its faces |
| `folder`, `install` | all of it, with a manifest, and bringing it onto a board |
"""
