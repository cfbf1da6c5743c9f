"""Conversion: source model → hub (OpenPBR) → target, by rules, with the ledger of how each value came about."""
