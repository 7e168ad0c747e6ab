"""The site folder: a site as three text files, site.toml, people.csv and content.csv."""
