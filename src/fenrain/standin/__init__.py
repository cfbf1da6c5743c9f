"""A stand-in for a renderer of another kind: a small program that takes the picture of a check kit in its own way, so that the whole way
out and back can be tried where no such renderer is at hand.

It shares what surfaces are with Fenrain, and nothing of how pictures are taken: paths, light, camera, filter and sampler are the engine's
own, its world has z up, and its camera answers as it is told.
"""
