"""What a machine on which Kavrel is installed asks for: whether it is well, and completion of commands."""

import ssl
import urllib.error
import urllib.request

import click
from click.shell_completion import get_completion_class


@click.command("health")
@click.option("--port", default=8321, show_default=True, type=click.IntRange(1, 65535))
@click.option("--prefix", default="", help="Path under which it is served.")
def health(port: int, prefix: str) -> None:
    """Ask the server on this machine whether it is well; exit 1 when it is not."""
    # On this machine itself: whoever could stand in between could do anything else, too.
    own = ssl._create_unverified_context()  # noqa: S323
    why = "nobody answers"
    for scheme in ("http", "https"):
        address = f"{scheme}://127.0.0.1:{port}/{prefix.strip('/')}".rstrip("/") + "/healthz"
        try:
            with urllib.request.urlopen(address, timeout=5, context=own) as answer:  # noqa: S310
                click.echo(answer.read().decode())
                return
        except urllib.error.HTTPError as error:
            error.close()
            why = f"answers {error.code}"
        except (OSError, ValueError):
            continue
    raise click.ClickException(f"port {port}: {why}")


@click.command("completion")
@click.argument("shell", type=click.Choice(["bash", "zsh", "fish"]))
def completion(shell: str) -> None:
    """Print what a shell sources to complete commands and options."""
    from kavrel.cli import main

    shell_class = get_completion_class(shell)
    if shell_class is None:
        raise click.ClickException(f"{shell} is not known")
    # Without asking a shell for its version, which is not needed to print this.
    maker = shell_class(main, {}, "kavrel", "_KAVREL_COMPLETE")
    click.echo(maker.source_template % maker.source_vars())
