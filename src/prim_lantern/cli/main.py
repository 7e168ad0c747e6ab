"""The command `prim-lantern`."""

from __future__ import annotations

import importlib
import os
import sys

import click

from prim_lantern.errors import BadSite, PrimLanternError, UnknownName

# Each command is in a module of `cli` that is loaded when it is used.
_COMMANDS = {
    "may": "asking",
    "why": "asking",
    "who": "who",
    "what": "what",
    "show": "showing",
    "grid": "looking",
    "look-as": "looking",
    "queue": "waiting",
    "promises": "promises",
    "checkup": "checkup",
    "finding": "checkup",
    "compare": "compare",
    "suggest": "suggest",
    "could-gain": "gaining",
    "tidy": "tidy",
    "user": "users",
    "group": "groups",
    "plan": "plans",
    "role": "roles",
    "give": "giving",
    "take-back": "giving",
    "readership": "readerships",
    "allow": "giving",
    "deny": "giving",
    "rule": "giving",
    "from-above": "giving",
    "limit": "limits",
    "timezone": "clock",
    "item": "items",
    "category": "items",
    "kind": "kinds",
    "action": "kinds",
    "import": "incoming",
    "sheet": "sheets",
    "export": "export",
    "report": "report",
    "figure": "figures",
    "promise": "promises",
    "history": "history",
    "undo": "history",
    "serve": "serving",
    "token": "serving",
    "new": "new",
    "folder": "folder",
    "demo": "demo",
    "completion": "completion",
}
# The front page: what belongs together in a line, in the order of an administrator's day.
_SECTIONS: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = (
    (
        "Asking",
        (
            ("may, why", "May somebody do this here? Why, or why not?"),
            ("who, what", "Who may do this here? What may somebody do?"),
            ("show", "What a place is, and all that holds there."),
            ("grid, look-as", "The whole at a glance; the site as somebody sees it."),
            ("queue, promises", "What waits; does what was promised hold?"),
            ("checkup, finding, tidy", "What looks wrong; the same with fewer words."),
            ("compare", "What one may and another may not, and by what."),
            ("suggest, could-gain", "What would be enough; what they could come to."),
        ),
    ),
    (
        "Changing (each can be tried first with --try)",
        (
            ("user, group, plan", "People, groups of them, enrolment for a time."),
            ("role, give, take-back", "What roles can do, and giving them."),
            ("readership", "Who may view what."),
            ("allow, deny, rule, from-above", "Single words at a place; what reaches in."),
            ("item, category, kind, action", "What is there, and what can be done with it."),
            ("limit, promise, timezone", "How many where; what must hold; the clock."),
            ("import", "People and pages from another system's files."),
            ("sheet", "The site as a workbook to plan with."),
        ),
    ),
    (
        "Looking after",
        (
            ("history, undo", "What was changed, by whom and why; taking it back."),
            ("report, figure", "The whole site as a page for a board, and as pictures."),
            ("export", "Content and people for other systems; sitemap and feed."),
            ("serve, token", "Answers for other programs over HTTP."),
            ("new, folder", "A site to start from; text files and databases."),
            ("demo, completion", "A walk through it all; help for your shell."),
        ),
    ),
)


class _Commands(click.Group):
    """The commands, each loaded when it is used, so that a single answer comes quickly."""

    def list_commands(self, ctx: click.Context) -> list[str]:  # noqa: ARG002
        return list(_COMMANDS)

    def get_command(
        self,
        ctx: click.Context,  # noqa: ARG002
        cmd_name: str,
    ) -> click.Command | None:
        module = _COMMANDS.get(cmd_name)
        if module is None:
            return None
        loaded = importlib.import_module(f"prim_lantern.cli.{module}")
        command: click.Command = loaded.COMMANDS[cmd_name]
        return command

    def format_commands(
        self,
        ctx: click.Context,  # noqa: ARG002
        formatter: click.HelpFormatter,
    ) -> None:
        for heading, rows in _SECTIONS:
            with formatter.section(heading):
                formatter.write_dl(rows, col_max=32)

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        name = args[0]
        if name not in _COMMANDS and not name.startswith("-"):
            from prim_lantern.site.names import nearest
            from prim_lantern.wording import did_you_mean

            hint = did_you_mean(nearest(name, _COMMANDS)) or " 'prim-lantern --help' lists them."
            raise click.UsageError(f"There is no command {name!r}.{hint}", ctx)
        return super().resolve_command(ctx, args)


def _version(ctx: click.Context, _: click.Parameter, value: bool) -> None:
    if value:
        from prim_lantern import __version__

        click.echo(f"prim-lantern {__version__}")
        ctx.exit()


@click.command(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.option(
    "--version",
    is_flag=True,
    expose_value=False,
    is_eager=True,
    callback=_version,
    help="Show the version and leave.",
)
def main() -> None:
    """Who may read, edit and publish what on a website, and why.

    Every command takes --site: a site folder or the URL of a database (else the environment
    variable PRIM_LANTERN_SITE, else ./site). What changes something takes --by: who does it,
    --because: why, and --try: only show the effects. 'prim-lantern demo' shows it all on a
    small site.
    """


def run() -> None:
    """Run the command line; what is refused is one clear message and exit code 2."""
    try:
        code = main(standalone_mode=False, prog_name="prim-lantern")
    except PrimLanternError as error:
        _complain(str(error), error)
        code = error.exit_code
    except click.exceptions.Abort:
        _complain("Stopped.")
        code = 2
    except click.ClickException as error:
        if _wants_json():
            _complain(error.format_message(), error)
        else:
            error.show()
        code = 2
    except BrokenPipeError:  # the reader went away, as `head` does
        from prim_lantern.show.terminal import reader_is_gone

        code = reader_is_gone()
    except OSError as error:
        _complain(f"{error.filename or 'A file'}: {error.strerror}.")
        code = 2
    except Exception as error:
        if os.environ.get("PRIM_LANTERN_TRACE"):
            raise
        kind = type(error).__name__
        _complain(
            f"This is a mistake of Prim Lantern, not yours ({kind}: {error}). Set "
            "PRIM_LANTERN_TRACE=1 to see where, and report it."
        )
        code = 2
    sys.exit(code if isinstance(code, int) else 0)


def _wants_json() -> bool:
    return "--json" in sys.argv[1:]


def _complain(message: str, error: Exception | None = None) -> None:
    """Say on stderr what was refused: in words, or as JSON where the answer was to be that."""
    if _wants_json():
        import json

        told = {"error": type(error).__name__ if error is not None else "Stopped"}
        known = {} if error is None else vars(error)
        data = {k: v for k, v in known.items() if _is_plain(v) and not k.startswith("_")}
        if isinstance(error, UnknownName):
            data["suggestions"] = error.suggestions
        if isinstance(error, BadSite):
            data["problems"] = [problem.to_dict() for problem in error.problems]
        whole = {**told, **data, "message": message}
        click.echo(json.dumps(whole, ensure_ascii=False), err=True)
        return
    from prim_lantern.show.terminal import wrapped

    for line in f"prim-lantern: {message}".split("\n"):
        for piece in wrapped(line.lstrip(), " " * (len(line) - len(line.lstrip())), "  "):
            click.echo(piece, err=True)


def _is_plain(value: object) -> bool:
    """Whether an error's data can be said as JSON as it is."""
    if isinstance(value, tuple):
        return all(map(_is_plain, value))
    return isinstance(value, str | int)
