"""People and groups for directories: SCIM 2.0 (RFC 7643, RFC 7644)."""
