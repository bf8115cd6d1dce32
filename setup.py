"""Puts the built front end into the wheel; everything else stands in pyproject.toml."""

import shutil
from pathlib import Path

from setuptools import setup
from setuptools.command.build_py import build_py

BUILT = Path("web/build")


class WithFrontEnd(build_py):
    """Copies what `npm run build` made beside the code; a wheel without it would serve no screens."""

    def run(self) -> None:
        """Build, then copy."""
        super().run()
        if self.editable_mode:
            return
        if not (BUILT / "index.html").exists():
            raise SystemExit("Build the front end first: ./dogana wheel does it.")
        into = Path(self.build_lib) / "dogana" / "web" / "built"
        shutil.rmtree(into, ignore_errors=True)
        shutil.copytree(BUILT, into, ignore=shutil.ignore_patterns(".made-from"))


setup(cmdclass={"build_py": WithFrontEnd})
