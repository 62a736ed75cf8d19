"""The weights that ship: trained on generated sound only, by `lab`, but for `speech` and `guitar`."""

import threading
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


_ONE_AT_A_TIME = threading.Lock()


@lru_cache(maxsize=1)
def _shared_memory() -> None:
    """Let all networks work in one arena that grows by what they ask for.

    By itself each keeps one of its own, grown by powers of two: 60 MB more, and no time saved.
    """
    import onnxruntime

    arena, plain = onnxruntime.OrtAllocatorType.ORT_ARENA_ALLOCATOR, onnxruntime.OrtMemType.DEFAULT
    grown = {
        "max_mem": 0, "arena_extend_strategy": 1, "initial_chunk_size_bytes": -1,
        "max_dead_bytes_per_chunk": -1,
    }  # fmt: skip
    onnxruntime.create_and_register_allocator(
        onnxruntime.OrtMemoryInfo("Cpu", arena, 0, plain), onnxruntime.OrtArenaCfg(grown)
    )


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
    with _ONE_AT_A_TIME:
        _shared_memory()
    options = onnxruntime.SessionOptions()
    options.add_session_config_entry("session.use_env_allocators", "1")
    options.intra_op_num_threads = threads
    options.log_severity_level = 3
    options.enable_mem_pattern = False  # one for each length of picture: 50 MB, and no time saved
    return onnxruntime.InferenceSession(str(path), options, providers=["CPUExecutionProvider"])
