"""Spreadsheets are read in a process of their own, with limits of memory and time: whatever is in one, this process goes on."""

import multiprocessing
import resource
from multiprocessing.connection import Connection as Pipe

from ypomoni.documents.tables import Sheet, TableError, is_workbook, read_tables

MOST_MEMORY = 2**30
LONGEST_S = 20
TOO_MUCH = "This spreadsheet takes too much to read: save only the sheet with the devices, without pictures and formats, as .xlsx or .csv."
_processes = multiprocessing.get_context("forkserver")


def read_tables_apart(data: bytes, file_name: str) -> list[Sheet]:
    """Return the sheets of a file, or raise `TableError`; see `read_tables`."""
    if not is_workbook(data):
        return read_tables(data, file_name)
    ours, theirs = _processes.Pipe(duplex=False)
    process = _processes.Process(target=_read, args=(data, file_name, theirs), daemon=True)
    process.start()
    theirs.close()
    try:
        if not ours.poll(LONGEST_S):
            raise TableError(TOO_MUCH)
        found = ours.recv()
    except EOFError as error:
        # It was killed, most likely by its own limit.
        raise TableError(TOO_MUCH) from error
    finally:
        process.kill()
        process.join()
    if isinstance(found, str):
        raise TableError(found)
    return found


def _read(data: bytes, file_name: str, theirs: Pipe) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (LONGEST_S, LONGEST_S))
    try:
        theirs.send(read_tables(data, file_name))
    except TableError as error:
        theirs.send(str(error))
    except MemoryError:
        theirs.send(TOO_MUCH)
