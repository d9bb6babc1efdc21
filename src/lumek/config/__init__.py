"""TOML files: their tables as models, and one wording for what is wrong with them."""
