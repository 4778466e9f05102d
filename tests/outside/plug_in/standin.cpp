// A plug-in to test the host with: a gain, and whatever can go wrong. The interfaces are those of the published VST 3
// binary interface (identifiers and structures from memory); nothing but what a host needs is there.
#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <unistd.h>

using Result = int32_t;
using Id = char[16];
enum : Result { Ok = 0, False = 1, NotThere = -1 };
typedef char16_t Text[128];

#define ID(a, b, c, d)                                                                                                 \
    {char((a) >> 24), char((a) >> 16), char((a) >> 8), char(a), char((b) >> 24), char((b) >> 16), char((b) >> 8),      \
     char(b), char((c) >> 24), char((c) >> 16), char((c) >> 8), char(c), char((d) >> 24), char((d) >> 16),             \
     char((d) >> 8), char(d)}
static const Id UNKNOWN = ID(0x00000000u, 0x00000000u, 0xC0000000u, 0x00000046u);
static const Id FACTORY = ID(0x7A4D811Cu, 0x52114A1Fu, 0xAED9D2EEu, 0x0B43BF9Fu);
static const Id BASE = ID(0x22888DDBu, 0x156E45AEu, 0x8358B348u, 0x08190625u);
static const Id COMPONENT = ID(0xE831FF31u, 0xF2D54301u, 0x928EBBEEu, 0x25697802u);
static const Id PROCESSOR = ID(0x42043F99u, 0xB7DA453Cu, 0xA569E79Du, 0x9AAEC33Du);
static const Id CONTROLLER = ID(0xDCD7BBE3u, 0x7742448Du, 0xA874AACCu, 0x979C759Eu);
static const Id OURS = ID(0x4E696768u, 0x74626F61u, 0x74537461u, 0x6E64696Eu);

struct Unknown {
    virtual Result query(const char *id, void **out) = 0;
    virtual uint32_t add_ref() = 0;
    virtual uint32_t release() = 0;
};
struct Stream : Unknown {
    virtual Result read(void *data, int32_t count, int32_t *done) = 0;
    virtual Result write(void *data, int32_t count, int32_t *done) = 0;
};
struct Bus {
    int32_t type, direction, channels;
    Text name;
    int32_t kind;
    uint32_t flags;
};
struct Buffers {
    int32_t channels;
    uint64_t silent;
    float **samples;
};
struct Queue : Unknown {
    virtual uint32_t id() = 0;
    virtual int32_t count() = 0;
    virtual Result point(int32_t index, int32_t &offset, double &value) = 0;
};
struct Changes : Unknown {
    virtual int32_t count() = 0;
    virtual Queue *at(int32_t index) = 0;
};
struct Data {
    int32_t mode, size, frames, inputs, outputs;
    Buffers *in, *out;
    Changes *changes;
    void *more[4];
};
struct Parameter {
    uint32_t id;
    Text title, shorter, units;
    int32_t steps;
    double normal;
    int32_t unit, flags;
};
struct Base : Unknown {
    virtual Result initialize(Unknown *) = 0;
    virtual Result terminate() = 0;
};
struct Component : Base {
    virtual Result controller_class(char *id) = 0;
    virtual Result io_mode(int32_t) = 0;
    virtual int32_t bus_count(int32_t type, int32_t direction) = 0;
    virtual Result bus_info(int32_t type, int32_t direction, int32_t index, Bus &bus) = 0;
    virtual Result routing(void *, void *) = 0;
    virtual Result activate_bus(int32_t, int32_t, int32_t, uint8_t) = 0;
    virtual Result set_active(uint8_t) = 0;
    virtual Result set_state(Stream *) = 0;
    virtual Result get_state(Stream *) = 0;
};
struct Processor : Unknown {
    virtual Result set_arrangements(uint64_t *, int32_t, uint64_t *, int32_t) = 0;
    virtual Result arrangement(int32_t, int32_t, uint64_t &) = 0;
    virtual Result can_size(int32_t) = 0;
    virtual uint32_t latency() = 0;
    virtual Result setup(void *) = 0;
    virtual Result set_processing(uint8_t) = 0;
    virtual Result process(Data &) = 0;
    virtual uint32_t tail() = 0;
};
struct Controller : Base {
    virtual Result component_state(Stream *) = 0;
    virtual Result set_state2(Stream *) = 0;
    virtual Result get_state2(Stream *) = 0;
    virtual int32_t parameter_count() = 0;
    virtual Result parameter_info(int32_t, Parameter &) = 0;
    virtual Result text_of(uint32_t, double, char16_t *) = 0;
    virtual Result value_of(uint32_t, char16_t *, double &) = 0;
    virtual double plain(uint32_t, double v) = 0;
    virtual double normalized(uint32_t, double v) = 0;
    virtual double get(uint32_t) = 0;
    virtual Result set(uint32_t, double) = 0;
    virtual Result handler(Unknown *) = 0;
    virtual void *view(const char *) = 0;
};

static void put(Text &to, const char *text) {
    int i = 0;
    for (; text[i] && i < 127; i++) to[i] = char16_t(text[i]);
    to[i] = 0;
}

enum { GAIN, MISCHIEF, COUNT };
enum { NONE, NO_NUMBER, HANGS, CRASHES, LATE };
static const int LATE_FRAMES = 100;

struct Both : Component, Processor, Controller {
    int refs = 1;
    double values[COUNT] = {0.5, 0.0};
    float past[2][LATE_FRAMES] = {};
    int at = 0;

    Result query(const char *id, void **out) override {
        *out = nullptr;
        if (!memcmp(id, UNKNOWN, 16) || !memcmp(id, BASE, 16) || !memcmp(id, COMPONENT, 16))
            *out = static_cast<Component *>(this);
        else if (!memcmp(id, PROCESSOR, 16))
            *out = static_cast<Processor *>(this);
        else if (!memcmp(id, CONTROLLER, 16))
            *out = static_cast<Controller *>(this);
        if (!*out) return NotThere;
        refs++;
        return Ok;
    }
    uint32_t add_ref() override { return ++refs; }
    uint32_t release() override { return refs > 1 ? --refs : 1; }  // lives as long as its process
    Result initialize(Unknown *) override { return Ok; }
    Result terminate() override { return Ok; }

    Result controller_class(char *) override { return False; }
    Result io_mode(int32_t) override { return Ok; }
    int32_t bus_count(int32_t type, int32_t) override { return type == 0; }
    Result bus_info(int32_t type, int32_t direction, int32_t index, Bus &bus) override {
        if (type || index) return False;
        bus = {type, direction, 2, {}, 0, 1};
        put(bus.name, "Sound");
        return Ok;
    }
    Result routing(void *, void *) override { return False; }
    Result activate_bus(int32_t, int32_t, int32_t, uint8_t) override { return Ok; }
    Result set_active(uint8_t) override { return Ok; }
    Result set_state(Stream *s) override {
        int32_t done = 0;
        return s->read(values, sizeof values, &done);
    }
    Result get_state(Stream *s) override {
        int32_t done = 0;
        return s->write(values, sizeof values, &done);
    }

    Result set_arrangements(uint64_t *in, int32_t ins, uint64_t *out, int32_t outs) override {
        return ins == 1 && outs == 1 && *in == 3 && *out == 3 ? Ok : False;
    }
    Result arrangement(int32_t, int32_t, uint64_t &speakers) override {
        speakers = 3;
        return Ok;
    }
    Result can_size(int32_t size) override { return size == 0 ? Ok : False; }
    uint32_t latency() override { return 0; }
    Result setup(void *) override { return Ok; }
    Result set_processing(uint8_t) override { return Ok; }
    uint32_t tail() override { return 0; }
    Result process(Data &d) override {
        for (int32_t i = 0; d.changes && i < d.changes->count(); i++) {
            Queue *q = d.changes->at(i);
            int32_t offset = 0;
            double value = 0;
            if (q && q->count() > 0 && q->id() < COUNT && q->point(q->count() - 1, offset, value) == Ok)
                values[q->id()] = value;
        }
        if (d.inputs < 1 || d.outputs < 1) return Ok;
        int mischief = int(std::lround(values[MISCHIEF] * 4));
        if (mischief == HANGS) sleep(3600);
        if (mischief == CRASHES) abort();
        float gain = float(std::pow(10.0, (values[GAIN] * 48 - 24) / 20));
        for (int32_t i = 0; i < d.frames; i++) {
            for (int c = 0; c < 2; c++) {
                float x = gain * d.in->samples[c][i], late = past[c][at];
                past[c][at] = x;
                d.out->samples[c][i] = mischief == NO_NUMBER ? NAN : mischief == LATE ? late : x;
            }
            at = (at + 1) % LATE_FRAMES;
        }
        d.out->silent = 0;
        return Ok;
    }

    Result component_state(Stream *s) override { return set_state(s); }
    Result set_state2(Stream *) override { return Ok; }
    Result get_state2(Stream *) override { return Ok; }
    int32_t parameter_count() override { return COUNT; }
    Result parameter_info(int32_t index, Parameter &p) override {
        if (index < 0 || index >= COUNT) return False;
        p = {};
        p.id = uint32_t(index);
        put(p.title, index == GAIN ? "Gain" : "Mischief");
        put(p.shorter, index == GAIN ? "Gain" : "Mischief");
        put(p.units, index == GAIN ? "dB" : "");
        p.steps = index == GAIN ? 0 : 4;
        p.normal = index == GAIN ? 0.5 : 0.0;
        p.flags = 1;
        return Ok;
    }
    Result text_of(uint32_t id, double v, char16_t *out) override {
        int whole = int(std::lround(id == GAIN ? v * 48 - 24 : v * 4)), i = 0;
        if (whole < 0) out[i++] = '-';
        whole = std::abs(whole);
        if (whole > 9) out[i++] = char16_t('0' + whole / 10);
        out[i++] = char16_t('0' + whole % 10);
        out[i] = 0;
        return Ok;
    }
    Result value_of(uint32_t, char16_t *, double &) override { return False; }
    double plain(uint32_t id, double v) override { return id == GAIN ? v * 48 - 24 : v * 4; }
    double normalized(uint32_t id, double v) override { return id == GAIN ? (v + 24) / 48 : v / 4; }
    double get(uint32_t id) override { return id < COUNT ? values[id] : 0; }
    Result set(uint32_t id, double v) override {
        if (id < COUNT) values[id] = v;
        return Ok;
    }
    Result handler(Unknown *) override { return Ok; }
    void *view(const char *) override { return nullptr; }
};

struct FactoryInfo {
    char vendor[64], url[256], email[128];
    int32_t flags;
};
struct ClassInfo {
    Id id;
    int32_t many;
    char category[32], name[64];
};
struct Factory : Unknown {
    virtual Result info(FactoryInfo *f) {
        memset(f, 0, sizeof *f);
        strcpy(f->vendor, "Stand-in");
        return Ok;
    }
    virtual int32_t count() { return 1; }
    virtual Result class_info(int32_t index, ClassInfo *c) {
        if (index) return False;
        memset(c, 0, sizeof *c);
        memcpy(c->id, OURS, 16);
        c->many = 0x7FFFFFFF;
        strcpy(c->category, "Audio Module Class");
        strcpy(c->name, "Stand-in");
        return Ok;
    }
    virtual Result create(const char *, const char *id, void **out) {
        Both *made = new Both;
        return made->query(id, out);
    }
    Result query(const char *id, void **out) override {
        bool ours = !memcmp(id, UNKNOWN, 16) || !memcmp(id, FACTORY, 16);
        *out = ours ? this : nullptr;
        return ours ? Ok : NotThere;
    }
    uint32_t add_ref() override { return 1; }
    uint32_t release() override { return 1; }
};

extern "C" {
__attribute__((visibility("default"))) bool ModuleEntry(void *) { return true; }
__attribute__((visibility("default"))) bool ModuleExit() { return true; }
__attribute__((visibility("default"))) Factory *GetPluginFactory() {
    static Factory factory;
    return &factory;
}
}
