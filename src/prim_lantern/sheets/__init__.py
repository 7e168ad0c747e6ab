"""The plan of a site as a workbook: what is true now goes out, what people wrote comes in."""
