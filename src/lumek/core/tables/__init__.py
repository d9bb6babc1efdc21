"""What is generated: tables that scripts in `tools/` write. Do not edit them by hand."""
