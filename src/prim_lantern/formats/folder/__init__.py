"""The site folder: a site as three text files, site.toml, people.csv and content.csv."""

from prim_lantern.formats.folder.reader import read_folder
from prim_lantern.formats.folder.schema import site_schema
from prim_lantern.formats.folder.writer import write_folder

__all__ = ["read_folder", "site_schema", "write_folder"]
