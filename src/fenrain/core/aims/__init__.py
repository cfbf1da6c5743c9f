"""Chooses among the answers that rules give: the plainest that looks the same, the nearest, or what the source's author meant."""
