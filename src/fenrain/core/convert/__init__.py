"""Conversion: rules, the engine that runs them, and the ledger that they leave."""
