"""Write the site as a workbook, let somebody edit a cell, and see what it comes to."""

from pathlib import Path
from tempfile import TemporaryDirectory

from openpyxl import load_workbook

import prim_lantern as pl


def main() -> None:
    """Volunteers are to edit the pages for visitors."""
    site = pl.open_demo()
    with TemporaryDirectory() as folder:
        file = Path(folder) / "site.xlsx"
        site.write_sheets(file)
        book = load_workbook(file)
        rows = {row[0].value: row for row in book["Grid"].iter_rows()}
        column = [cell.value for cell in rows["where"]].index("group:volunteers")
        rows["/visit"][column].value = "read, edit"
        book.save(file)
        found = site.read_sheets(file, by="hana.okafor")
    with site.change(by="hana.okafor", reason="The plan for the season") as change:
        for step in found.steps:
            print(step.says)
            for command in step.commands:
                print(f"  prim-lantern {command}")
        for operation in found.operations:
            change.do(operation)
    print("Sam may edit prices:", bool(site.may("sam.whitlock", "edit", "/visit/prices")))


if __name__ == "__main__":
    main()
