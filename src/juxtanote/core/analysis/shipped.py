"""The weights that ship: trained on generated sound only, by `lab`, but for `speech` and `guitar`."""

from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

FOLDER = Path(__file__).parent / "weights"


@lru_cache(maxsize=8)
def read_weights(name: str) -> dict[str, NDArray[np.float32]] | None:
    """Read the arrays of ``name.npz`` once, or give None where they are missing.

    Parameters
    ----------
    name : str
        Without its suffix.

    Examples
    --------
    >>> read_weights("there-is-no-such-file") is None
    True
    """
    path = FOLDER / f"{name}.npz"
    if not path.is_file():
        return None
    with np.load(path) as stored:
        return {key: stored[key].astype(np.float32) for key in stored.files}


@lru_cache(maxsize=8)
def open_network(name: str, *, threads: int):  # type: ignore[no-untyped-def]
    """Open the compiled network ``name.onnx`` once; give None where onnxruntime or the file is missing.

    Parameters
    ----------
    name : str
        Without its suffix.
    threads : int
        That one run of it takes.

    Examples
    --------
    >>> open_network("there-is-no-such-file", threads=1) is None
    True
    """
    path = FOLDER / f"{name}.onnx"
    if not path.is_file():
        return None
    try:
        import onnxruntime
    except ImportError:
        return None
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = threads
    options.log_severity_level = 3
    options.enable_mem_pattern = False  # one for each length of picture: 50 MB, and no time saved
    return onnxruntime.InferenceSession(str(path), options, providers=["CPUExecutionProvider"])
