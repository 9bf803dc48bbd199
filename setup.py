"""Builds the parser of conditions, and the compiled loops: every module with a `.pxd` beside it.

With the machine's C compiler, or one that is fetched where there is none. Failing both, the loops
stay as they are, and run interpreted.
"""

from __future__ import annotations

import os
import runpy
import shutil
import subprocess
import sys
import sysconfig
from pathlib import Path

from Cython.Build import cythonize
from setuptools import Extension, setup
from setuptools.command.build_ext import build_ext
from setuptools.errors import BaseError, CCompilerError

SHARED = "snelk._shared"
"""What all compiled loops have in common, of the translator's own making."""

STRICT = (
    ["-O2", "-g0", "-ffp-contract=off", "-fno-trapping-math", "-fno-math-errno"]
    if os.name == "posix"
    else ["/O2", "/fp:strict"]
)
"""Floating point as it is written, so that machines agree.

Nobody asks whether a number was the outcome of a division by 0, nor what a root has set `errno` to,
so that a loop may work out both sides of a choice, and a root in one step.
"""

WHOLE = [
    "-O3", "-funroll-loops", "-fno-tree-slp-vectorize",
    "-DCYTHON_INLINE=inline __attribute__((always_inline))",
]  # fmt: skip

HOW = {
    # They only hold arrays: making them quicker would take half the time of a build.
    "columns": ["-O0" if os.name == "posix" else "/Od"],
    # What is to be part of its caller is, however long it may be: calls that hand on all of a ray
    # took up to a seventh of the time in which it was followed. Outside of loops, working out two
    # like numbers at once takes longer than it saves.
    "casting": WHOLE if os.name == "posix" else [],
}
"""Other ways to compile some."""

RULES = {
    "language_level": 3,
    "annotation_typing": False,  # types are those of the .pxd
    "infer_types": True,
    "boundscheck": False,
    "wraparound": False,
    "initializedcheck": False,
    "cdivision": True,
    "auto_pickle": False,  # nobody pickles what loops read, and it takes a tenth of a build
}


class Build(build_ext):
    """All loops are built, or none is; as many at once as there are processors."""

    def finalize_options(self) -> None:
        """Build on all processors, whoever asks."""
        self.parallel = os.cpu_count()
        super().finalize_options()

    def run(self) -> None:
        """Build; where that cannot be, leave nothing of an earlier build either."""
        _find_compiler()
        translated = _translated([each for each in self.extensions if each.name != SHARED])
        for each in self.extensions:
            each.sources = translated[each.name]
        try:
            super().run()
        except (BaseError, CCompilerError) as error:
            print(f"no C compiler, so Snelk's loops stay interpreted: {error}", file=sys.stderr)
            for each in self.extensions:
                for path in (self.get_ext_fullpath(each.name), *_in_place(each.name)):
                    Path(path).unlink(missing_ok=True)
            self.extensions = []


def _in_place(name: str) -> list[Path]:
    return [*Path("src", *name.split(".")[:-1]).glob(f"{name.split('.')[-1]}.*.so")]


def _find_compiler() -> None:
    """Where the machine has no C compiler, take one that comes as a package, if it does."""
    usual = (os.environ.get("CC") or sysconfig.get_config_var("CC") or "cc").split()[0]
    if os.name != "posix" or shutil.which(usual) is not None:
        return
    place = Path("build", "compiler").absolute()
    words = [sys.executable, "-m", "pip", "install", "--quiet", f"--target={place}", "ziglang"]
    if subprocess.run(words, check=False).returncode == 0:
        os.environ["CC"] = f"env PYTHONPATH={place} {sys.executable} -m ziglang cc"
        os.environ["LDSHARED"] = f"{os.environ['CC']} -shared"


def _extensions() -> list[Extension]:
    """What is to be built, of sources that are still Python."""
    loops = [
        Extension(
            ".".join(path.relative_to("src").with_suffix("").parts),
            [str(path.with_suffix(".py"))],
            extra_compile_args=[*STRICT, *HOW.get(path.stem, ())],
        )
        for path in sorted(Path("src").rglob("*.pxd"))
    ]
    return [Extension(SHARED, [], extra_compile_args=STRICT), *loops]


def _translated(loops: list[Extension]) -> dict[str, list[str]]:
    """The sources of each in C."""
    shared = Path("build", "_shared.c")
    shared.parent.mkdir(exist_ok=True)
    words = [sys.executable, "-m", "cython", f"--generate-shared={shared}"]
    subprocess.run(words, check=True)
    found = cythonize(
        loops,
        nthreads=os.cpu_count() or 1,
        build_dir="build",
        compiler_directives=RULES,
        shared_utility_qualified_name=SHARED,
    )
    return {SHARED: [str(shared)], **{each.name: each.sources for each in found}}


if __name__ == "__main__":  # not in the processes that translate
    kept = runpy.run_path("src/snelk/built.py")
    runpy.run_path("src/snelk/config/syntax.py")["keep"]()
    Path("src/snelk/_built.txt").write_text(kept["digest"](), encoding="ascii")
    setup(ext_modules=_extensions(), cmdclass={"build_ext": Build})
