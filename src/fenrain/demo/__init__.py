"""Heron Lode: an invented pumping station, made by code from fixed seeds. No real site, brand or product."""
