"""What a site says, for other systems: tables, SCIM, sitemaps, feeds."""
