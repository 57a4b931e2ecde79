"""Profiles of instruments that speak SCPI: TOML files, generic ones shipped here, a person's own in the configuration folder."""
