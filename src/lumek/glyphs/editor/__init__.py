"""The editor in the terminal: a picture of dots, the set beside it, and a row of a panel that shows it.

`Sketch` knows what is done, and `Draft` keeps it; the editor shows both. It runs on Textual.
"""
