"""Routers, one a subject, found by their files: `router` lets in who has an account, `entry` whoever asks, to become one who has."""
