"""Fenrain: converts materials between shading models and checks that each converted look matches its original."""
