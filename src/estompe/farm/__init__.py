"""A bake or a run of pictures over several processes or machines: frames in chunks, over dask.distributed."""
