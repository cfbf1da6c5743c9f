"""The web application: thin routers over the store and the jobs."""
