"""Long work: its state in the database, its computation on a Dask cluster."""
