"""What a studio might bring: a shading model of its own, the format it is kept in, and a metric."""
