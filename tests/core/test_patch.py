"""Patches as git writes them, read file by file."""

import subprocess
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.limits import examples

from dogana.core.patch import read_patch

DIFF = """\
diff --git a/docs/how to.md b/docs/how to.md
new file mode 100644
index 0000000..3b18e51
--- /dev/null
+++ b/docs/how to.md
@@ -0,0 +1,2 @@
+++ a line that begins with signs
+second
diff --git a/old.py b/old.py
deleted file mode 100644
index 3b18e51..0000000
--- a/old.py
+++ /dev/null
@@ -1 +0,0 @@
-diff --git a/x b/x
diff --git a/logo.png b/logo.png
index 3b18e51..abcdef0 100644
Binary files a/logo.png and b/logo.png differ
diff --git a/run.sh b/run.sh
old mode 100644
new mode 100755
"""


def test_each_file_has_its_path_what_became_of_it_and_its_lines():
    """Also with blanks in its path, with lines that look like a diff's own, and where nothing is text."""
    patch = read_patch("a" * 40, "Subject\n\nBody\n", DIFF)
    assert patch.message == "Subject\n\nBody"
    assert [(one.path, one.what, one.added, one.removed) for one in patch.files] == [
        ("docs/how to.md", "added", 2, 0),
        ("old.py", "removed", 0, 1),
        ("logo.png", "changed", 0, 0),
        ("run.sh", "changed", 0, 0),
    ]
    assert patch.files[0].lines == ("@@ -0,0 +1,2 @@", "+++ a line that begins with signs", "+second")
    assert patch.files[2].lines == patch.files[3].lines == ()


@pytest.mark.parametrize(("lines", "shown", "more"), [(399, 400, 0), (400, 400, 1), (5000, 400, 4601)])
def test_of_a_long_file_the_beginning_is_shown_and_the_rest_counted(lines: int, shown: int, more: int):
    diff = "diff --git a/x b/x\n--- a/x\n+++ b/x\n@@ -0,0 +1 @@\n" + "+y\n" * lines
    file = read_patch("a" * 40, "", diff).files[0]
    assert (file.added, len(file.lines), file.more) == (lines, shown, more)


def test_of_many_files_the_rest_are_counted():
    diff = "".join(f"diff --git a/{n} b/{n}\nnew file mode 100644\n" for n in range(250))
    patch = read_patch("a" * 40, "", diff)
    assert (len(patch.files), patch.more) == (200, 50)


LINES = st.lists(
    st.text(st.characters(blacklist_categories=["Cs"], blacklist_characters="\n\r\0"), max_size=9)
)


@pytest.mark.thorough
@settings(max_examples=examples(30))
@given(before=LINES, after=LINES)
def test_what_git_counts_is_counted(tmp_path_factory: pytest.TempPathFactory, before: list, after: list):
    """Whatever stands in the lines, also other separators of lines: as many come and go as git says."""
    folder: Path = tmp_path_factory.mktemp("diff")
    for name, lines in (("a", before), ("b", after)):
        (folder / name).mkdir()
        (folder / name / "x").write_text("".join(f"{line}\n" for line in lines), newline="")

    def diff(*how: str) -> str:
        command = ["git", "diff", "--no-index", "--text", *how, "a/x", "b/x"]
        return subprocess.run(command, cwd=folder, capture_output=True, check=False).stdout.decode()

    counted = diff("--numstat").split("\t")[:2] if before != after else ["0", "0"]
    files = read_patch("a" * 40, "", diff("--no-prefix", "--src-prefix=", "--dst-prefix=")).files
    assert (sum(one.added for one in files), sum(one.removed for one in files)) == tuple(map(int, counted))
