# Vine Loom's driver for Python, the part that saves states; it is read when a state is saved or taken up.
#
# A state is two pickles in a file: what stands around the namespace (folder, environment, imports, random numbers), then
# the namespace itself. It is only saved where all of it is plain data, functions without surroundings, and modules whose
# own state is known here; anything else is in doubt, and the code is run again instead.

import enum
import marshal
import pickle

# The packages whose modules hold nothing that a block changes but what is saved here.
KNOWN_PACKAGES = set(
    "numpy pandas matplotlib mpl_toolkits scipy dateutil pytz tzdata six PIL kiwisolver cycler pyparsing contourpy packaging "
    "bottleneck numexpr pyarrow fontTools".split()
)
# The modules of the standard library with which a program can change more than its own objects.
STATEFUL_MODULES = set(
    "asyncio atexit builtins codecs concurrent ctypes curses faulthandler gettext logging mmap multiprocessing readline runpy "
    "sched select selectors signal socket socketserver sqlite3 ssl syslog threading tracemalloc tkinter turtle unittest "
    "weakref".split()
)
# The modules whose objects are data, however they are put together; of pandas, those of frames and of what lies in them.
DATA_MODULES = set(
    "numpy datetime decimal fractions collections pathlib uuid zoneinfo re dateutil pytz array ipaddress pyarrow types "
    "functools operator cycler __future__".split()
)
DATA_OF_PANDAS = tuple(
    "pandas." + name for name in "_libs core.frame core.series core.indexes core.internals core.arrays core.dtypes core.flags arrays".split()
)
# The types of the language itself that are data, beside those that a pickle takes without asking.
DATA_TYPES = (complex, range, slice, bytearray, object, type(Ellipsis), type(NotImplemented))
# Names of what changes the state of a module or of the process; code that uses one is in doubt.
DOUBTFUL_NAMES = set(
    "setattr delattr register_dialect field_size_limit setfirstweekday add_type __dict__ __import__ import_module reload modules meta_path path_hooks "
    "settrace setprofile setrecursionlimit setswitchinterval set_int_max_str_digits excepthook displayhook getcontext "
    "setcontext setlocale umask nice setpriority setrlimit putenv unsetenv tzset install_opener set_option reset_option "
    "options seterrcall setbufsize set_string_function register register_cmap addfont fontManager use switch_backend "
    "Thread Timer Popen Process Pool gc dup dup2 setsid fork openpty set_index_engine register_dataframe_accessor "
    "register_series_accessor set_typeDict matplotlib_converters set_bit_generator __class__ __code__ __defaults__ __globals__".split()
)
# Names of functions of the language itself that are in doubt; methods may be called so.
DOUBTFUL_FUNCTIONS = set("exec eval globals vars copyreg".split())
MUTATORS = set("append extend insert remove pop clear sort reverse update setdefault popitem add discard".split())
# The parts of modules that are saved with a state.
SAVED_PARTS = set("rcParams environ path argv filters".split())


TOO_LARGE = "it is larger than running again is dear"


class Doubt(Exception):
    """Why another interpreter might not be the same, as the end of a sentence."""


def make_function(code, name, defaults, keyword_defaults):
    function = types.FunctionType(marshal.loads(code), main.__dict__, name, defaults)
    function.__kwdefaults__ = keyword_defaults
    return function


def import_again(name):
    importlib.import_module(name)
    return sys.modules[name]


def is_known_module(name):
    path = getattr(sys.modules[name], "__file__", None) or ""
    _, packages, below = path.rpartition("-packages" + os.sep)
    if name.split(".")[0] in KNOWN_PACKAGES or packages and below.split(os.sep)[0] in KNOWN_PACKAGES:
        return True
    # What the library's modules import for themselves does no harm; what a block imports is looked at with its code.
    return not path or path.startswith(os.path.dirname(os.__file__)) and not packages


def closed_file(kind, name, mode, encoding, errors):
    file = open(os.devnull, "rb" if "r" in mode else "wb")
    file.raw.name = name
    if kind == "TextIOWrapper":
        file = io.TextIOWrapper(file, encoding=encoding, errors=errors)
        file.mode = mode
    file.close()
    return file


# What a state calls when it is taken up is found in a module of its own: `__main__` is the namespace of the blocks.
helpers = types.ModuleType("vineloom_states")
for helper in (make_function, import_again, closed_file):
    helper.__module__ = helpers.__name__
    setattr(helpers, helper.__name__, helper)


class StatePickler(pickle.Pickler):
    """Pickles what is data, and says so when something is not."""

    def __init__(self, file):
        super().__init__(file, 4)
        # The array that lies in each piece of memory.
        self.arrays = {}

    def reducer_override(self, value):
        kind = type(value)
        if kind is types.ModuleType:
            if sys.modules.get(value.__name__) is not value:
                raise Doubt("it holds a module that it made")
            return import_again, (value.__name__,)
        if kind is types.FunctionType and value.__module__ == "__main__":
            return self.function(value)
        if isinstance(value, type):
            if value.__module__ == "__main__":
                raise Doubt("it holds a class of its own, `%s`" % value.__name__)
            return NotImplemented
        if kind.__name__ in ("TextIOWrapper", "BufferedReader", "BufferedWriter") and kind.__module__ == "_io" and value.closed:
            return closed_file, (kind.__name__, value.name, value.mode, getattr(value, "encoding", None), getattr(value, "errors", None))
        if kind in (types.FunctionType, types.BuiltinFunctionType) or kind.__name__ == "cython_function_or_method":
            if getattr(value, "__module__", None) in (None, "__main__"):
                raise Doubt("it holds a method of an object")
            return NotImplemented
        if isinstance(value, enum.Enum) and kind.__module__ != "__main__":
            return NotImplemented
        is_data = kind in DATA_TYPES or kind.__module__.split(".")[0] in DATA_MODULES or kind.__module__ == "pandas" or kind.__module__.startswith(DATA_OF_PANDAS)
        if not is_data or kind is types.MethodType:
            raise Doubt("it holds a `%s`" % kind.__name__)
        if getattr(value, "_is_copy", None) is not None:
            raise Doubt("it holds a part of a data frame")
        if kind.__module__ == "numpy" and hasattr(value, "__array_interface__") and getattr(value, "ndim", 0) > 0:
            self.array(value)
        return NotImplemented

    def function(self, value):
        if value.__closure__ is not None or value.__globals__ is not main.__dict__:
            raise Doubt("it holds a function with variables of its own, `%s`" % value.__name__)
        about = {name: getattr(value, name) for name in ("__doc__", "__qualname__", "__annotations__", "__module__")}
        about.update(value.__dict__)
        parts = (marshal.dumps(value.__code__), value.__name__, value.__defaults__, value.__kwdefaults__)
        return make_function, parts, about

    def array(self, value):
        root = value
        while type(root.base).__module__ == "numpy":
            root = root.base
        if type(value).__name__ != "ndarray" or type(root.base).__name__ in ("mmap", "memmap") or not value.flags.writeable:
            raise Doubt("it holds an array of a kind of its own")
        place = id(root) if root.base is None else id(root.base)
        if self.arrays.setdefault(place, value) is not value:
            raise Doubt("two of its arrays lie in the same memory")


def look_at_sets(values, limit):
    """Doubts a set that would be listed in another order when it is made again, and what is more than a state may take."""
    seen = set()
    waiting = list(values)
    while waiting:
        value = waiting.pop()
        limit -= 1
        if limit < len(waiting):
            raise Doubt(TOO_LARGE)
        kind = type(value)
        if kind in (int, float, str, bool, bytes, type(None)) or id(value) in seen:
            continue
        seen.add(id(value))
        if kind in (list, tuple):
            waiting.extend(value)
        elif isinstance(value, dict):
            waiting.extend(value.keys())
            waiting.extend(value.values())
        elif kind in (set, frozenset):
            listed = list(value)
            again = set()
            for item in listed:
                again.add(item)
            if list(again) != listed or list(kind(listed)) != listed:
                raise Doubt("it holds a set whose order is not that of its making")
            waiting.extend(listed)
        elif kind is types.FunctionType and value.__module__ == "__main__":
            waiting.extend((value.__defaults__, value.__kwdefaults__, value.__dict__))
        elif kind.__name__ == "ndarray" and value.dtype.hasobject:
            waiting.extend(value.flat)


class Limited:
    """A file that takes no more than so many bytes."""

    def __init__(self, file, limit):
        self.file = file
        self.left = limit

    def write(self, data):
        self.left -= len(data)
        if self.left < 0:
            raise Doubt(TOO_LARGE)
        return self.file.write(data)


def chain_of(target):
    """The names of a target like `a.b[c].d`, from its root; the first is None where that is no name."""
    names = []
    while isinstance(target, (ast.Attribute, ast.Subscript)):
        if isinstance(target, ast.Attribute):
            names.insert(0, target.attr)
        target = target.value
    return [target.id if isinstance(target, ast.Name) else None] + names


def of_module(names):
    """What a chain of names that begins with a module leads to; None for another."""
    value = main.__dict__.get(names[0])
    if not isinstance(value, (types.ModuleType, type)):
        return None
    for name in names[1:]:
        value = getattr(value, name, None)
    return value


def look_at_target(node, is_inside):
    """Doubts an assignment to a part of something that is not the namespace's own."""
    names = chain_of(node)
    root = names[0]
    held = isinstance(node, ast.Subscript) and names[-1] in SAVED_PARTS
    if root is None or isinstance(main.__dict__.get(root), (types.ModuleType, type)) and not held:
        raise Doubt("its code sets a part of what is not its own")
    if root not in main.__dict__ and (isinstance(node, ast.Attribute) or not is_inside):
        raise Doubt("its code sets a part of `%s`, which is not there any more" % root)


def look_at_code(tree, imports):
    """Doubts code that may change more than its own objects; notes what it imports."""
    kinds = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda)
    inside = set(id(node) for function in ast.walk(tree) if isinstance(function, kinds) for node in ast.walk(function))
    for node in ast.walk(tree):
        name = node.id if isinstance(node, ast.Name) else node.attr if isinstance(node, ast.Attribute) else None
        if name in DOUBTFUL_NAMES or isinstance(node, ast.Name) and name in DOUBTFUL_FUNCTIONS:
            raise Doubt("`%s` stands in its code" % name)
        if isinstance(node, (ast.Attribute, ast.Subscript)) and isinstance(node.ctx, (ast.Store, ast.Del)):
            look_at_target(node, id(node) in inside)
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in MUTATORS:
            names = chain_of(node.func.value)
            if isinstance(of_module(names), (list, dict, set, bytearray)) and names[-1] not in SAVED_PARTS:
                raise Doubt("its code changes a part of a module")
        if isinstance(node, (ast.Import, ast.ImportFrom)):
            look_at_import(node, imports)


def look_at_import(node, imports):
    names = [alias.name for alias in node.names]
    if isinstance(node, ast.ImportFrom):
        names = [node.module or ""] + ["%s.%s" % (node.module, alias) for alias in names]
    for name in names:
        first = name.split(".")[0]
        if first in STATEFUL_MODULES:
            raise Doubt("it imports `%s`" % first)
        if name in sys.modules and name not in imports:
            imports.append(name)


def around():
    """What stands around the namespace."""
    threading = sys.modules.get("threading")
    if sys.version_info < (3, 8):
        raise Doubt("its Python is older than 3.8")
    if threading is not None and threading.active_count() > 1:
        raise Doubt("it has threads")
    if offsets() != {}:
        raise Doubt("it holds files open")
    imports = []
    for code in codes.values():
        look_at_code(compile(code, "@", "exec", ast.PyCF_ONLY_AST | future_flags, True), imports)
    for name in list(sys.modules):
        if name not in modules_at_first and not is_known_module(name):
            raise Doubt("it imports `%s`" % name.split(".")[0])
    environment = dict(os.environ)
    names = set(environment) | set(environment_at_first)
    changed = {name: environment.get(name) for name in names if environment.get(name) != environment_at_first.get(name)}
    modules = {}
    random, numpy, matplotlib, warnings = map(sys.modules.get, ("random", "numpy", "matplotlib", "warnings"))
    if random is not None:
        modules["random"] = random.getstate()
    if numpy is not None and "numpy.random" in sys.modules:
        modules["numpy.random"] = numpy.random.get_state()
    if numpy is not None:
        modules["numpy"] = (numpy.get_printoptions(), numpy.geterr())
    if matplotlib is not None and hasattr(matplotlib, "rcParams"):
        modules["matplotlib"] = {name: value for name, value in dict.items(matplotlib.rcParams) if name != "backend"}
    if warnings is not None:
        modules["warnings"] = list(warnings.filters)
    return {
        "folder": os.getcwd(), "environment": changed, "path": list(sys.path), "arguments": list(sys.argv), "imports": imports,
        "codes": dict(codes), "future": future_flags, "modules": modules,
    }


def save_state(path, limit):
    """Saves the state into a file; 1 where it is in doubt, told as a notice."""
    sys.modules[helpers.__name__] = helpers
    try:
        shared = set()
        for name, module in list(sys.modules.items()):
            if module is not main and isinstance(module, types.ModuleType):
                shared.update(id(value) for value in list(vars(module).values()) if isinstance(value, (list, dict, set, bytearray)))
        namespace = {name: value for name, value in main.__dict__.items() if name != "__builtins__"}
        if any(id(value) in shared for value in namespace.values()):
            raise Doubt("it holds a part of a module")
        look_at_sets(namespace.values(), limit)
        warnings = sys.modules.get("warnings")
        if set(namespace.get("__warningregistry__", ())) - {"version"} or getattr(warnings, "onceregistry", None):
            raise Doubt("it has warned, and would not a second time")
        header = around()
        with open(path, "wb") as file:
            limited = Limited(file, limit)
            StatePickler(limited).dump(header)
            StatePickler(limited).dump(namespace)
        return 0
    except Doubt as why:
        send("notice", str(why))
    except Exception as error:
        send("notice", "it can't be told (%s)" % type(error).__name__)
    finally:
        del sys.modules[helpers.__name__]
    return 1


def load_state(path):
    global future_flags
    sys.modules[helpers.__name__] = helpers
    with open(path, "rb") as file:
        header = pickle.load(file)
        os.chdir(header["folder"])
        for name, value in header["environment"].items():
            if value is None:
                os.environ.pop(name, None)
            else:
                os.environ[name] = value
        sys.path[:] = header["path"]
        sys.argv[:] = header["arguments"]
        for name in header["imports"]:
            importlib.import_module(name)
        main.__dict__.update(pickle.load(file))
    del sys.modules[helpers.__name__]
    future_flags = header["future"]
    for label, code in header["codes"].items():
        codes[label] = code
        linecache.cache[label] = (len(code), None, code.splitlines(True), label)
    modules = header["modules"]
    adopt_matplotlib()
    if "matplotlib" in modules:
        dict.update(sys.modules["matplotlib"].rcParams, modules["matplotlib"])
    if "numpy" in modules:
        sys.modules["numpy"].set_printoptions(**modules["numpy"][0])
        sys.modules["numpy"].seterr(**modules["numpy"][1])
    if "warnings" in modules:
        warnings = importlib.import_module("warnings")
        warnings.filters[:] = modules["warnings"]
        warnings._filters_mutated()
    if "random" in modules:
        sys.modules["random"].setstate(modules["random"])
    if "numpy.random" in modules:
        sys.modules["numpy"].random.set_state(modules["numpy.random"])
