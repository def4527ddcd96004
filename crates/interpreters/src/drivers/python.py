"""Vine Loom's driver for Python 3.6 and later.

One JSON request a line on descriptor 3, one JSON event a line on descriptor 4, behind the block's mark. All blocks of a strand run in one
namespace, that of __main__. Before an event the driver flushes standard output and writes a mark into it, so that
the event's place among the output is known.
"""
import __future__
import ast
import importlib.machinery
import io
import json
import linecache
import os
import sys
import traceback
import types



class Everything:
    """What a finder takes for the names in a folder: it then asks for each name it wants, so that an import depends on
    the modules it looks for, and not on all else that lies beside them."""

    def __contains__(self, name):
        return True


class Finder(importlib.machinery.FileFinder):
    def _fill_cache(self):
        self._path_cache = self._relaxed_path_cache = Everything()


def find_in(path):
    if not os.path.isdir(path or "."):
        raise ImportError("not a folder")
    real = os.path.realpath(path or ".")
    if real.startswith(os.path.dirname(os.__file__)) and "-packages" not in real:
        raise ImportError("a folder of Python's own library")
    if "-packages" in os.path.dirname(real):
        raise ImportError("a part of a package, which comes and goes as a whole")
    machinery = importlib.machinery
    return Finder(
        path,
        (machinery.ExtensionFileLoader, machinery.EXTENSION_SUFFIXES),
        (machinery.SourceFileLoader, machinery.SOURCE_SUFFIXES),
        (machinery.SourcelessFileLoader, machinery.BYTECODE_SUFFIXES),
    )


sys.path_hooks.insert(0, find_in)
requests = os.fdopen(3, "r", encoding="utf-8", newline="\n")
events = os.fdopen(4, "wb", buffering=0)
os.set_inheritable(3, False)
os.set_inheritable(4, False)
nothing = os.open(os.devnull, os.O_RDWR)
real_stdout = real_stderr = nothing
main = types.ModuleType("__main__")
main.__builtins__ = __builtins__
sys.modules["__main__"] = main
sys.argv = [""]
sys.path[0] = os.getcwd()
request = {}
placed = 0
future_flags = 0
# The code that has run, by its label, and what there was before any did.
codes = {}
environment_at_first = dict(os.environ)
modules_at_first = set(sys.modules)


def send(kind, content):
    """Sends an event that needs no place among the output."""
    line = "%s %s\n" % (request["mark"], json.dumps({kind: content}, ensure_ascii=True))
    events.write(line.encode())


def flush():
    try:
        sys.stdout.flush()
    except (OSError, ValueError):
        pass


def place(kind, content):
    """Sends an event and marks its place in standard output."""
    global placed
    flush()
    placed += 1
    os.write(real_stdout, ("\x02%s:%d\x03" % (request["mark"], placed)).encode())
    send(kind, content)


class Notices(io.TextIOBase):
    """Standard error of the block: each write is a notice, in order with what is printed."""

    encoding = "utf-8"
    errors = "replace"

    def writable(self):
        return True

    def fileno(self):
        return 2

    def write(self, text):
        if text:
            place("notice", text)
        return len(text)


def open_streams(stdin, stdout, stderr):
    """Opens the block's own streams: what another block left running writes elsewhere."""
    global real_stdout, real_stderr
    real_stdout = os.open(stdout, os.O_WRONLY)
    real_stderr = os.open(stderr, os.O_WRONLY)
    os.dup2(real_stdout, 1)
    os.dup2(real_stderr, 2)
    if stdin == os.devnull:
        os.dup2(nothing, 0)
    else:
        descriptor = os.open(stdin, os.O_RDONLY)
        os.dup2(descriptor, 0)
        os.close(descriptor)
    sys.stdin = io.TextIOWrapper(open(0, "rb", closefd=False), encoding="utf-8", errors="replace")
    sys.stdout = io.TextIOWrapper(
        open(1, "wb", closefd=False), encoding="utf-8", errors="backslashreplace", line_buffering=True
    )
    sys.stderr = Notices()


def close_streams():
    global real_stdout, real_stderr
    for descriptor in (1, 2):
        os.dup2(nothing, descriptor)
    for descriptor in (real_stdout, real_stderr):
        if descriptor != nothing:
            os.close(descriptor)
    real_stdout = real_stderr = nothing


# Figures ---------------------------------------------------------------------------------------------------


def save_figures(*_args, **_kwargs):
    """Saves every open matplotlib figure and closes it. Also what pyplot.show() does here."""
    pyplot = sys.modules.get("matplotlib.pyplot")
    if pyplot is None:
        return
    for number in pyplot.get_fignums():
        figure = pyplot.figure(number)
        save_figure(figure)
        pyplot.close(figure)


def save_figure(figure):
    """Saves a figure as the block asks for it, on a ground of its own only where somebody coloured it."""
    wanted = request["figures"]
    size = [wanted.get("width"), wanted.get("height")]
    before = figure.get_size_inches()
    if size[0] or size[1]:
        ratio = before[1] / before[0]
        width = size[0] / 25.4 if size[0] else size[1] / 25.4 / ratio
        figure.set_size_inches(width, size[1] / 25.4 if size[1] else width * ratio)
    name = "matplotlib-%04d.%s" % (placed + 1, wanted["format"])
    path = os.path.join(os.environ["VINELOOM_FIGURES"], name)
    metadata = {"Date": None} if wanted["format"] == "svg" else {"Software": None}
    white = [part.patch for part in [figure] + figure.axes if part.patch.get_facecolor() == (1, 1, 1, 1)]
    for patch in white:
        patch.set_facecolor("none")
    figure.savefig(
        path,
        format=wanted["format"],
        dpi=wanted.get("dpi") or 200,
        bbox_inches="tight",
        facecolor=figure.get_facecolor(),
        metadata=metadata,
    )
    for patch in white:
        patch.set_facecolor("white")
    figure.set_size_inches(before)
    place("figure", {"file": name})


def drawing_in(value):
    """The first part of a drawing in what a plotting call returns, alone or among other things; None in any other."""
    if type(value).__module__.startswith("matplotlib.") and not isinstance(value, tuple):
        return value
    if isinstance(value, dict):
        value = list(value.values())
    elif type(value).__module__ == "numpy" and getattr(value, "ndim", 0) > 0 and value.dtype.kind == "O":
        value = list(value.flat)
    if not isinstance(value, (list, tuple)):
        return None
    return next((part for part in map(drawing_in, value[:100]) if part is not None), None)


def show_drawing(drawing):
    """Shows the figure of a drawing that an earlier block closed; one that is open is shown at the end of the block."""
    figure = drawing if hasattr(drawing, "savefig") else getattr(drawing, "figure", None)
    opened = sys.modules["matplotlib._pylab_helpers"].Gcf.figs.values() if "matplotlib.pyplot" in sys.modules else []
    if hasattr(figure, "savefig") and all(manager.canvas.figure is not figure for manager in opened):
        save_figure(figure)


def adopt_matplotlib():
    """Once pyplot is there: figures that come out the same each time, and show() that saves them."""
    pyplot = sys.modules.get("matplotlib.pyplot")
    if pyplot is not None and getattr(pyplot, "show", None) is not save_figures and hasattr(pyplot, "get_fignums"):
        pyplot.rcParams["svg.hashsalt"] = "vineloom"
        pyplot.show = save_figures


# Values ----------------------------------------------------------------------------------------------------


def cell(value):
    """A table cell: null for nothing, a number as written, else text."""
    if value is None or value != value:
        return None
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value)


def is_number(value):
    if isinstance(value, bool):
        return False
    return isinstance(value, (int, float)) or type(value).__module__ == "numpy" and hasattr(value, "__float__")


def column(name, values):
    present = [value for value in values if value is not None and value == value]
    kind = "number" if present and all(is_number(value) for value in present) else "text"
    return {"name": str(name), "kind": kind}


def as_table(value):
    """The value as a table, when it is one: a data frame, or a list of dicts with the same keys."""
    if type(value).__name__ == "DataFrame" and type(value).__module__.startswith("pandas"):
        frame = value
        if type(value.index).__name__ != "RangeIndex":
            # An index without a name has a column without a head.
            unnamed = value.index.nlevels == 1 and value.index.name is None and "index" not in value.columns
            frame = value.reset_index().rename(columns={"index": ""}) if unnamed else value.reset_index()
        names = [" ".join(map(str, name)) if isinstance(name, tuple) else name for name in frame.columns]
        columns = [frame.iloc[:, at].tolist() for at in range(len(names))]
        rows = [list(row) for row in zip(*columns)]
    elif isinstance(value, list) and value and all(isinstance(row, dict) for row in value):
        names = list(value[0])
        if not names or any(list(row) != names for row in value):
            return None
        rows = [[row[name] for name in names] for row in value]
        columns = [[row[at] for row in rows] for at in range(len(names))]
    elif type(value).__module__ == "numpy" and getattr(value, "ndim", 0) == 2 and value.dtype.kind in "iufb":
        rows = value.tolist()
        names = [str(at) for at in range(value.shape[1])]
        columns = [[row[at] for row in rows] for at in range(len(names))]
    else:
        return None
    return {
        "columns": [column(name, values) for name, values in zip(names, columns)],
        "rows": [[cell(value) for value in row] for row in rows],
    }


def is_scalar(value):
    return not isinstance(value, (list, tuple, set, frozenset, dict)) and getattr(value, "ndim", 0) == 0


def prose(value):
    """How a value reads in a sentence, and what kind of value it is."""
    of_numpy = type(value).__module__ == "numpy"
    if value is None or type(value).__name__ in ("NAType", "NaTType") or isinstance(value, float) and value != value:
        return {"plain": str(value), "kind": "missing"}
    if isinstance(value, bool) or of_numpy and type(value).__name__ in ("bool_", "bool"):
        return {"plain": str(value), "kind": "yes" if value else "no"}
    if of_numpy and type(value).__name__ in ("datetime64", "timedelta64"):
        return {"plain": moment(str(value).replace("T", " ")), "kind": "text"}
    if of_numpy and hasattr(value, "item") and getattr(value, "ndim", 0) == 0 and not isinstance(value.item(), type(value)):
        return prose(value.item())
    if isinstance(value, (int, float)):
        infinite = value in (float("inf"), float("-inf"))
        number = float.__repr__(value) if isinstance(value, float) else int.__repr__(value)
        return {"plain": number, "kind": "text" if infinite else "number"}
    if type(value).__module__ in ("decimal", "_decimal", "_pydecimal") and value.is_finite():
        return {"plain": str(value), "kind": "number"}
    if isinstance(value, str):
        return {"plain": str(value), "kind": "text"}
    if isinstance(value, os.PathLike):
        return {"plain": str(os.fspath(value)), "kind": "text"}
    if hasattr(value, "isoformat"):
        return {"plain": moment(str(value)), "kind": "text"}
    if type(value).__module__ in ("datetime", "fractions", "uuid", "ipaddress") or hasattr(value, "total_seconds"):
        return {"plain": str(value), "kind": "text"}
    return {"plain": repr(value), "kind": "text"}


def moment(text):
    """A moment as it is written; one at midnight is a date."""
    date, _, time = text.partition(" ")
    return date if time and not time.strip("0:.") else text


def items(value):
    """What a flat list holds, as each reads in a sentence; nothing where the value is no such list."""
    if isinstance(value, (set, frozenset)):
        try:
            value = sorted(value)
        except TypeError:
            value = sorted(value, key=str)
    elif type(value).__module__.split(".")[0] in ("numpy", "pandas") and getattr(value, "ndim", 0) == 1:
        value = value.tolist()
    if not isinstance(value, (list, tuple, range)) or len(value) > 1000:
        return None
    return [prose(item) for item in value] if all(is_scalar(item) for item in value) else None


def show_value(value, wanted):
    """Shows the value of an expression. Nothing is no value, unless a sentence asks for it."""
    if value is None and not wanted:
        return
    main.__dict__["_"] = value
    drawing = drawing_in(value) if "matplotlib" in sys.modules else None
    table = as_table(value) if drawing is None else None
    if table is not None:
        place("table", table)
    elif drawing is not None:
        show_drawing(drawing)
    else:
        listed = items(value)
        whole = prose(value) if listed is None else {"plain": repr(value), "items": listed}
        place("value", dict(whole, text=repr(value)))


# Running ---------------------------------------------------------------------------------------------------


def statement_text(lines, before, statement):
    """A statement as it is written, with the comments above it."""
    first = min([statement.lineno] + [d.lineno for d in getattr(statement, "decorator_list", [])])
    start = before
    while start < first - 1 and not lines[start].strip():
        start += 1
    return "".join(lines[start : statement.end_lineno]).rstrip("\n")


def run(code, label, transcript, wanted):
    lines = code.splitlines(True)
    linecache.cache[label] = (len(code), None, lines, label)
    codes[label] = code
    global future_flags
    tree = compile(code, label, "exec", ast.PyCF_ONLY_AST | future_flags, True)
    last = tree.body[-1] if tree.body else None
    before = 0
    for statement in tree.body:
        if transcript:
            place("statement", statement_text(lines, before, statement))
            before = statement.end_lineno
        if isinstance(statement, ast.Expr) and (statement is last or transcript):
            expression = ast.Expression(statement.value)
            show_value(eval(compile(expression, label, "eval", future_flags, True), main.__dict__), wanted)
        else:
            module = ast.parse("", label)
            module.body = [statement]
            exec(compile(module, label, "exec", future_flags, True), main.__dict__)
        if isinstance(statement, ast.ImportFrom) and statement.module == "__future__":
            for alias in statement.names:
                future_flags |= getattr(__future__, alias.name).compiler_flag
        adopt_matplotlib()
    save_figures()


def failure(error):
    """What went wrong, without the driver's own frames."""
    trace = error.__traceback__
    while trace is not None and not trace.tb_frame.f_code.co_filename.startswith("@"):
        trace = trace.tb_next
    text = "".join(traceback.format_exception(type(error), error, trace))
    at = None
    if isinstance(error, SyntaxError) and error.filename and error.filename.startswith("@"):
        at = {"block": error.filename, "line": error.lineno}
        text = "".join(traceback.format_exception_only(type(error), error))
    walk = trace
    while walk is not None:
        name = walk.tb_frame.f_code.co_filename
        if name.startswith("@"):
            at = {"block": name, "line": walk.tb_lineno}
        walk = walk.tb_next
    summary = "".join(traceback.format_exception_only(type(error), error)).strip().splitlines()[-1]
    content = {"summary": summary, "text": text, "at": at}
    if isinstance(error, EOFError):
        content["help"] = "the block read standard input, which is empty; give it text with `stdin=\"…\"`"
    elif isinstance(error, ModuleNotFoundError) and error.name:
        content["help"] = "install the package: `%s -m pip install %s`" % (
            os.path.basename(sys.executable) or "python3",
            error.name.split(".")[0],
        )
    return content


def exit_code(error):
    if error.code is None:
        return 0
    if isinstance(error.code, int):
        return error.code & 0xFF
    print(error.code, file=sys.stderr)
    return 1


def hand_in(variables):
    """Sets variables: plain values as they are, a table as a data frame where pandas is loaded, else as records."""
    for variable in variables:
        value = variable["value"]
        if "plain" in value:
            main.__dict__[variable["name"]] = value["plain"]
            continue
        table = value["table"]
        names = [column["name"] for column in table["columns"]]
        numeric = [column["kind"] == "number" for column in table["columns"]]
        records = [
            {name: number(cell) if is_numeric else cell for name, is_numeric, cell in zip(names, numeric, row)}
            for row in table["rows"]
        ]
        pandas = sys.modules.get("pandas")
        main.__dict__[variable["name"]] = pandas.DataFrame(records, columns=names) if pandas else records


def number(cell):
    if cell is None:
        return None
    try:
        return int(cell)
    except ValueError:
        return float(cell)


def held():
    """What the namespace holds: name, type, shape and a short value of each variable."""
    found = []
    for name, value in sorted(main.__dict__.items()):
        if name.startswith("_") or isinstance(value, (types.ModuleType, types.FunctionType, type)):
            continue
        shape = getattr(value, "shape", None)
        if isinstance(shape, tuple):
            shape = " x ".join(map(str, shape))
        elif hasattr(value, "__len__"):
            shape = str(len(value))
        text = " ".join(repr(value)[:400].split())
        kind = type(value).__name__
        found.append({"name": name, "kind": kind, "shape": shape if isinstance(shape, str) else "", "value": text[:200]})
    return found


# Copies ----------------------------------------------------------------------------------------------------

# Where the copy that waits above hears that it is to go on; nothing for the first.
above = None
GOES_BACK = 77
# Libraries whose threads do not live in a copy, or whose state there is not to be trusted.
NOT_FOR_COPIES = ("torch", "tensorflow", "jaxlib", "arrow", "polars", "raylet", "grpc", "cuda", "opencl", "tbb", "java", "julia")


def listed(path):
    try:
        return os.listdir(path)
    except OSError:
        return []


def has_children():
    for thread in listed("/proc/self/task"):
        try:
            with open("/proc/self/task/%s/children" % thread) as children:
                if children.read().strip():
                    return True
        except OSError:
            return True
    return False


def is_safe():
    """Whether a copy would be the same: no threads that it would lack, nothing that the two would share."""
    threading = sys.modules.get("threading")
    if not hasattr(os, "fork") or threading is not None and threading.active_count() > 1 or has_children():
        return False
    try:
        with open("/proc/self/maps") as maps:
            mapped = maps.read()
    except OSError:
        return False
    files = set(line.split(None, 5)[5].strip() for line in mapped.splitlines() if len(line.split(None, 5)) > 5)
    if any(word in os.path.basename(name).lower() for name in files for word in NOT_FOR_COPIES):
        return False
    # What is mapped to be shared is shared with the copy, too.
    if any(len(line.split()) > 1 and line.split()[1][1] == "w" and line.split()[1][3] == "s" for line in mapped.splitlines()):
        return False
    # The threads of OpenBLAS are made anew in a copy; those of others are not.
    if len(listed("/proc/self/task")) > 1 and not any("openblas" in os.path.basename(name).lower() for name in files):
        return False
    return offsets() is not None


def offsets():
    """How far each open file has been read; None where something is open that a copy can't have by itself."""
    found = {}
    for name in listed("/proc/self/fd"):
        descriptor = int(name)
        if descriptor <= 4 or descriptor in (nothing, above):
            continue
        try:
            target = os.readlink("/proc/self/fd/%d" % descriptor)
            with open("/proc/self/fdinfo/%d" % descriptor) as info:
                flags = int(next(line for line in info if line.startswith("flags:")).split()[1], 8)
        except (OSError, StopIteration):
            # It was the listing's own.
            continue
        if target in (os.devnull, "/dev/urandom", "/dev/random"):
            continue
        if not target.startswith("/") or target.startswith("/dev/") or flags & (os.O_WRONLY | os.O_RDWR):
            return None
        found[descriptor] = os.lseek(descriptor, 0, os.SEEK_CUR)
    return found


def checkpoint():
    """Leaves a stopped copy of this interpreter. The copy comes out of here when it is gone back to, with the request
    that asks for that; what has come out before is its child."""
    global above, request
    if not is_safe():
        return 1
    files = offsets()
    heard, told = os.pipe()
    # Python seeds its random numbers anew in a child, which is the one that goes on here.
    random = sys.modules.get("random")
    numbers = random.getstate() if hasattr(random, "getstate") else None
    child = os.fork()
    if child == 0:
        if numbers is not None:
            random.setstate(numbers)
        os.close(heard)
        if above is not None:
            os.close(above)
        above = told
        return 0
    os.close(told)
    status = os.waitpid(child, 0)[1]
    if not os.WIFEXITED(status) or os.WEXITSTATUS(status) != GOES_BACK:
        # It ended, or was ended: so does this one.
        if os.WIFSIGNALED(status):
            os.kill(os.getpid(), os.WTERMSIG(status))
        os._exit(os.WEXITSTATUS(status) if os.WIFEXITED(status) else 1)
    with os.fdopen(heard, "r", encoding="utf-8") as line:
        request = json.loads(line.read())
    for descriptor, offset in files.items():
        os.lseek(descriptor, offset, os.SEEK_SET)
    return go_back(int(request["code"]) - 1)


def go_back(levels):
    """Gives way to a copy, so many above."""
    if levels == 0:
        return 0
    if above is None or has_children():
        return 1
    request["code"] = str(levels)
    os.write(above, json.dumps(request).encode())
    os._exit(GOES_BACK)


def ask_of_state():
    """Saves the state, or takes one up; 1 where that can't be done."""
    if "save_state" not in globals():
        exec(compile(STATES, __file__, "exec"), globals())
    if request["task"] == "save":
        return save_state(request["file"], request["limit"])
    try:
        load_state(request["file"])
        return 0
    except Exception:
        return 1


def serve():
    global request, placed
    for line in requests:
        request = json.loads(line)
        placed = 0
        saved = {name: os.environ.get(name) for name in request["env"]}
        os.environ.update(request["env"])
        back = os.getcwd() if request["cwd"] else None
        code = 0
        try:
            open_streams(request["stdin"], request["stdout"], request["stderr"])
            if request["cwd"]:
                os.chdir(request["cwd"])
            hand_in(request["variables"])
            if request["task"] == "variables":
                place("variables", held())
            elif request["task"] == "run":
                run(request["code"], request["label"], request["transcript"], request["expression"])
        except SystemExit as error:
            code = exit_code(error)
        except BaseException as error:
            code = 1
            place("failure", failure(error))
        if back:
            os.chdir(back)
        for name, value in saved.items():
            if value is None:
                os.environ.pop(name, None)
            else:
                os.environ[name] = value
        flush()
        mark = ("\x02%s:end\x03" % request["mark"]).encode()
        os.write(real_stdout, mark)
        os.write(real_stderr, mark)
        close_streams()
        if request["task"] == "checkpoint":
            code = checkpoint()
        elif request["task"] == "back":
            code = go_back(int(request["code"]))
        elif request["task"] in ("save", "load"):
            code = ask_of_state()
        send("done", {"exit": code})
