"""A small mail service on loopback, and the demo's world; the only place that knows the demo."""
