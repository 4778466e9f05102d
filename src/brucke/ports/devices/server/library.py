"""The native library of the desktop's sound server through cffi, by its binary interface: no compiler at install.

Layouts are those of x86-64 and of the library's headers 0.3.65; `outside/test_library_layouts.py` holds their sizes
against what a compiler says, where the headers are.
"""

from collections.abc import Mapping
from functools import cache
from typing import Any

import cffi

from ..kind import DeviceError

NAME = "the desktop's sound server"
FILES = ("libpipewire-0.3.so.0", "libpipewire-0.3.so")
DEFINITIONS = """
struct spa_list { struct spa_list *next; struct spa_list *prev; };
struct spa_callbacks { const void *funcs; void *data; };
struct spa_interface { const char *type; uint32_t version; struct spa_callbacks cb; };
struct spa_hook { struct spa_list link; struct spa_callbacks cb; void (*removed)(struct spa_hook *); void *priv; };
struct spa_dict_item { const char *key; const char *value; };
struct spa_dict { uint32_t flags; uint32_t n_items; const struct spa_dict_item *items; };
struct spa_fraction { uint32_t num; uint32_t denom; };
struct spa_io_clock {
    uint32_t flags; uint32_t id; char name[64]; uint64_t nsec; struct spa_fraction rate; uint64_t position;
    uint64_t duration; int64_t delay; double rate_diff; uint64_t next_nsec; uint32_t padding[8];
};

struct pw_core_events {
    uint32_t version;
    void (*info)(void *data, const void *info);
    void (*done)(void *data, uint32_t id, int seq);
    void (*ping)(void *data, uint32_t id, int seq);
    void (*error)(void *data, uint32_t id, int seq, int res, const char *message);
    void (*remove_id)(void *data, uint32_t id);
    void (*bound_id)(void *data, uint32_t id, uint32_t global_id);
    void (*add_mem)(void *data, uint32_t id, uint32_t type, int fd, uint32_t flags);
    void (*remove_mem)(void *data, uint32_t id);
};
struct pw_core_methods {
    uint32_t version;
    int (*add_listener)(void *object, struct spa_hook *hook, const struct pw_core_events *events, void *data);
    int (*hello)(void *object, uint32_t version);
    int (*sync)(void *object, uint32_t id, int seq);
    int (*pong)(void *object, uint32_t id, int seq);
    int (*error)(void *object, uint32_t id, int seq, int res, const char *message);
    void *(*get_registry)(void *object, uint32_t version, size_t user_data_size);
    void *(*create_object)(void *object, const char *factory, const char *type, uint32_t version,
                           const struct spa_dict *props, size_t user_data_size);
    int (*destroy)(void *object, void *proxy);
};
struct pw_registry_events {
    uint32_t version;
    void (*global)(void *data, uint32_t id, uint32_t permissions, const char *type, uint32_t version,
                   const struct spa_dict *props);
    void (*global_remove)(void *data, uint32_t id);
};
struct pw_registry_methods {
    uint32_t version;
    int (*add_listener)(void *object, struct spa_hook *hook, const struct pw_registry_events *events, void *data);
    void *(*bind)(void *object, uint32_t id, const char *type, uint32_t version, size_t user_data_size);
    int (*destroy)(void *object, uint32_t id);
};
struct pw_node_info {
    uint32_t id; uint32_t max_input_ports; uint32_t max_output_ports; uint64_t change_mask; uint32_t n_input_ports;
    uint32_t n_output_ports; int state; const char *error; struct spa_dict *props; void *params; uint32_t n_params;
};
struct pw_node_events {
    uint32_t version;
    void (*info)(void *data, const struct pw_node_info *info);
    void (*param)(void *data, int seq, uint32_t id, uint32_t index, uint32_t next, const void *param);
};
struct pw_node_methods {
    uint32_t version;
    int (*add_listener)(void *object, struct spa_hook *hook, const struct pw_node_events *events, void *data);
    int (*subscribe_params)(void *object, uint32_t *ids, uint32_t n_ids);
    int (*enum_params)(void *object, int seq, uint32_t id, uint32_t start, uint32_t num, const void *filter);
    int (*set_param)(void *object, uint32_t id, uint32_t flags, const void *param);
};
struct pw_metadata_events {
    uint32_t version;
    int (*property)(void *data, uint32_t subject, const char *key, const char *type, const char *value);
};
struct pw_metadata_methods {
    uint32_t version;
    int (*add_listener)(void *object, struct spa_hook *hook, const struct pw_metadata_events *events, void *data);
    int (*set_property)(void *object, uint32_t subject, const char *key, const char *type, const char *value);
    int (*clear)(void *object);
};

struct pw_filter_events {
    uint32_t version;
    void (*destroy)(void *data);
    void (*state_changed)(void *data, int old, int state, const char *error);
    void (*io_changed)(void *data, void *port_data, uint32_t id, void *area, uint32_t size);
    void (*param_changed)(void *data, void *port_data, uint32_t id, const void *param);
    void (*add_buffer)(void *data, void *port_data, void *buffer);
    void (*remove_buffer)(void *data, void *port_data, void *buffer);
    void (*process)(void *data, struct spa_io_clock *position);
    void (*drained)(void *data);
    void (*command)(void *data, const void *command);
};
struct pw_stream_events {
    uint32_t version;
    void (*destroy)(void *data);
    void (*state_changed)(void *data, int old, int state, const char *error);
    void (*control_info)(void *data, uint32_t id, const void *control);
    void (*io_changed)(void *data, uint32_t id, void *area, uint32_t size);
    void (*param_changed)(void *data, uint32_t id, const void *param);
    void (*add_buffer)(void *data, void *buffer);
    void (*remove_buffer)(void *data, void *buffer);
    void (*process)(void *data);
    void (*drained)(void *data);
    void (*command)(void *data, const void *command);
    void (*trigger_done)(void *data);
};
struct spa_chunk { uint32_t offset; uint32_t size; int32_t stride; int32_t flags; };
struct spa_data {
    uint32_t type; uint32_t flags; int64_t fd; uint32_t mapoffset; uint32_t maxsize; void *data;
    struct spa_chunk *chunk;
};
struct spa_buffer { uint32_t n_metas; uint32_t n_datas; void *metas; struct spa_data *datas; };
struct pw_buffer { struct spa_buffer *buffer; void *user_data; uint64_t size; uint64_t requested; };

void pw_init(int *argc, char ***argv);
const char *pw_get_library_version(void);
void *pw_thread_loop_new(const char *name, const struct spa_dict *props);
void *pw_thread_loop_get_loop(void *loop);
int pw_thread_loop_start(void *loop);
void pw_thread_loop_stop(void *loop);
void pw_thread_loop_lock(void *loop);
void pw_thread_loop_unlock(void *loop);
void pw_thread_loop_destroy(void *loop);
void *pw_properties_new_dict(const struct spa_dict *dict);
void *pw_context_new(void *loop, void *props, size_t user_data_size);
void *pw_context_connect(void *context, void *props, size_t user_data_size);
void pw_context_destroy(void *context);
int pw_core_disconnect(void *core);
void pw_proxy_destroy(void *proxy);
void pw_proxy_add_object_listener(void *proxy, struct spa_hook *hook, const void *events, void *data);
uint32_t pw_proxy_get_bound_id(void *proxy);

void *pw_filter_new(void *core, const char *name, void *props);
void pw_filter_destroy(void *filter);
void pw_filter_add_listener(void *filter, struct spa_hook *hook, const struct pw_filter_events *events, void *data);
int pw_filter_remove_port(void *port_data);
void *pw_filter_add_port(void *filter, int direction, int flags, size_t size, void *props, const void **params,
                         uint32_t n_params);
int pw_filter_connect(void *filter, int flags, const void **params, uint32_t n_params);
float *pw_filter_get_dsp_buffer(void *port, uint32_t frames);
void *pw_stream_new(void *core, const char *name, void *props);
void pw_stream_destroy(void *stream);
void pw_stream_add_listener(void *stream, struct spa_hook *hook, const struct pw_stream_events *events, void *data);
int pw_stream_connect(void *stream, int direction, uint32_t target, int flags, const void **params, uint32_t n_params);
struct pw_buffer *pw_stream_dequeue_buffer(void *stream);
int pw_stream_queue_buffer(void *stream, struct pw_buffer *buffer);
int pw_filter_update_properties(void *filter, void *port, const struct spa_dict *dict);
"""
ffi: Any = cffi.FFI()
ffi.cdef(DEFINITIONS)


@cache
def library() -> Any:
    """The library, made ready once. Errors: DeviceError where it is not here, or lacks something."""
    reason = ""
    for file in FILES:
        try:
            found: Any = ffi.dlopen(file)
            for symbol in dir(found):
                getattr(found, symbol)
        except (OSError, AttributeError) as e:
            reason = str(e).splitlines()[0]
            continue
        found.pw_init(ffi.NULL, ffi.NULL)
        return found
    raise DeviceError(f"{NAME}: its library cannot be used ({reason})")


def text(pointer: Any, most: int = 200) -> str:
    """A name of somebody else's: any bytes, any length; what cannot be shown is left out."""
    if pointer == ffi.NULL:
        return ""
    said = bytes(ffi.string(pointer, most * 4)).decode(errors="replace")
    return "".join(c for c in said if c.isprintable())[:most]


class Dict:
    """A C dictionary of texts that stays as long as this does."""

    def __init__(self, texts: Mapping[str, object]):
        self._kept = [(ffi.new("char[]", k.encode()), ffi.new("char[]", str(v).encode())) for k, v in texts.items()]
        self._items = ffi.new("struct spa_dict_item[]", [{"key": k, "value": v} for k, v in self._kept])
        self.c = ffi.new("struct spa_dict *", {"flags": 0, "n_items": len(self._kept), "items": self._items})


def texts_of(props: Any) -> dict[str, str]:
    """Of a C dictionary."""
    if props == ffi.NULL:
        return {}
    return {text(props.items[i].key): text(props.items[i].value, 1000) for i in range(min(props.n_items, 500))}


def methods(proxy: Any, kind: str) -> tuple[Any, Any]:
    """(the methods of an object of the server, what they are given first)."""
    made = ffi.cast("struct spa_interface *", proxy)
    return ffi.cast(f"struct {kind}_methods *", made.cb.funcs), made.cb.data
