"""The hookup file: one description of panel and wiring, which is drawn, checked and driven.

| module | is |
|---|---|
| `model`, `file` | what may stand in the file, and reading it |
| `checks` | what is checked before power is applied; its formulas are in `electric` |
| `sheet`, `drawing` | the wiring table and its picture |
| `attach` | panels from the file, real or simulated |
| `maps`, `nets` | line maps and the header; what uses which line and bus |
"""
