/* line_linux.c — the line port over a terminal device, and a joined pair as a stand-in for a board. */
#define _DEFAULT_SOURCE
#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <stdlib.h>
#include <sys/socket.h>
#include <termios.h>
#include <unistd.h>

#include <oakspindle/linux.h>

typedef struct linux_line {
    int descriptor;
    bool is_terminal;
} linux_line;

static const struct {
    uint32_t speed;
    speed_t code;
} speeds[] = {{300, B300},     {600, B600},       {1200, B1200},    {2400, B2400},
              {4800, B4800},   {9600, B9600},     {19200, B19200},  {38400, B38400},
              {57600, B57600}, {115200, B115200}, {230400, B230400}};

static oak_status line_send(void *line, const uint8_t *bytes, size_t count)
{
    const linux_line *self = line;
    while (count) {
        ssize_t part = write(self->descriptor, bytes, count);
        if (part < 0 && errno == EINTR) continue;
        if (part <= 0) return OAK_IO_ERROR;
        bytes += part;
        count -= (size_t)part;
    }
    return OAK_OK;
}

static oak_status line_receive(void *line, uint8_t *bytes, size_t room, uint32_t wait_ms, size_t *count)
{
    const linux_line *self = line;
    struct pollfd ready = {.fd = self->descriptor, .events = POLLIN};
    *count = 0;
    int found = poll(&ready, 1, wait_ms > 3600000 ? 3600000 : (int)wait_ms);
    if (found < 0) return errno == EINTR ? OAK_OK : OAK_IO_ERROR;
    if (!found || !room) return OAK_OK;
    ssize_t part = read(self->descriptor, bytes, room);
    if (part < 0) return errno == EINTR ? OAK_OK : OAK_IO_ERROR;
    if (part == 0) return OAK_IO_ERROR; /* the other end is gone */
    *count = (size_t)part;
    return OAK_OK;
}

static oak_status line_set_speed(void *line, uint32_t bits_per_second)
{
    const linux_line *self = line;
    struct termios settings;
    if (!self->is_terminal) return OAK_OK; /* a pair has no speed to keep */
    for (size_t i = 0; i < sizeof speeds / sizeof *speeds; i++) {
        if (speeds[i].speed != bits_per_second) continue;
        if (tcgetattr(self->descriptor, &settings)) return OAK_IO_ERROR;
        cfmakeraw(&settings);
        settings.c_cflag |= CLOCAL | CREAD;
        cfsetispeed(&settings, speeds[i].code);
        cfsetospeed(&settings, speeds[i].code);
        return tcsetattr(self->descriptor, TCSANOW, &settings) ? OAK_IO_ERROR : OAK_OK;
    }
    return OAK_UNSUPPORTED;
}

static void line_close(void *line)
{
    linux_line *self = line;
    close(self->descriptor);
    free(self);
}

static oak_status make_line(int descriptor, bool is_terminal, oak_line_port *line)
{
    static const oak_line_ops ops = {line_send, line_receive, line_set_speed, line_close};
    linux_line *self = malloc(sizeof *self);
    if (!self) {
        close(descriptor);
        return OAK_NO_MEMORY;
    }
    *self = (linux_line){descriptor, is_terminal};
    *line = (oak_line_port){self, &ops};
    return OAK_OK;
}

oak_status oak_linux_line_open(const char *device, uint32_t bits_per_second, oak_line_port *line)
{
    if (!device || !line) return OAK_MISUSE;
    int descriptor = open(device, O_RDWR | O_NOCTTY | O_CLOEXEC);
    if (descriptor < 0) return errno == ENOENT ? OAK_NOT_FOUND : OAK_IO_ERROR;
    if (!isatty(descriptor)) {
        close(descriptor);
        return OAK_UNSUPPORTED;
    }
    oak_line_port made;
    oak_status status = make_line(descriptor, true, &made);
    if (status) return status;
    status = line_set_speed(made.line, bits_per_second);
    if (status) line_close(made.line);
    else *line = made;
    return status;
}

oak_status oak_linux_line_pair(oak_line_port *a, oak_line_port *b)
{
    if (!a || !b) return OAK_MISUSE;
    int ends[2];
    if (socketpair(AF_UNIX, SOCK_STREAM, 0, ends)) return OAK_IO_ERROR;
    oak_status status = make_line(ends[0], false, a);
    if (status) {
        close(ends[1]);
        return status;
    }
    status = make_line(ends[1], false, b);
    if (status) line_close(a->line);
    return status;
}
