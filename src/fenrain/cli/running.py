"""Starting and stopping the application."""

from __future__ import annotations

from fenrain.cli.given import app


@app.command()
def serve() -> None:
    """Start the application."""
    _serve(demo=False)


@app.command()
def demo() -> None:
    """Start the application with the demo data."""
    _serve(demo=True)


@app.command()
def warm() -> None:
    """Compile what pictures of usual materials need, once a machine, so that nobody waits for it."""
    from fenrain.core.rendering.probe import load_engine
    from fenrain.demo.warm import warm as compile_all

    load_engine()
    print(f"Ready for pictures: {compile_all()} kinds of pairs.")


@app.command()
def stop() -> None:
    """End what a crash left running."""
    from fenrain.serve import stop as end

    end()


def _serve(*, demo: bool) -> None:
    from fenrain.serve import serve as run
    from fenrain.serve import terminate_on_signal

    terminate_on_signal()
    run(demo=demo)
