"""The crop table: figures with units and sources, looked up by id, name or synonym.

Import rule: fennet.core only. The data are crops.csv, sources.csv and trials.csv beside this file.
"""

from fennet.crops.table import CropTable, Source, UnknownCrop, load_sources, shipped

__all__ = ["CropTable", "Source", "UnknownCrop", "load_sources", "shipped"]
