"""Ask one question, and act on the answer."""

import prim_lantern as pl


def main() -> None:
    """Say what Sam may do with a draft, and why not."""
    site = pl.open_demo()
    for action in ("edit", "submit", "publish"):
        decision = site.may("sam.whitlock", action, "/log/seal-count", at="2027-05-10")
        print(f"{action}: {'yes' if decision else 'no'}")
        if not decision:
            for missing in decision.explanation.missing:
                print(f"  missing: {missing.text}")


if __name__ == "__main__":
    main()
