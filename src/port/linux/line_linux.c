/* line_linux.c — the line port over a terminal device, and a joined pair as a stand-in for a board. */
#define _GNU_SOURCE
#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/socket.h>
#include <termios.h>
#include <unistd.h>

#include <oakspindle/linux.h>

typedef struct linux_line {
    int descriptor, writes; /* mostly the same */
    int other;              /* of a pseudo-terminal: kept open, so that whoever uses it may come and go; -1 */
    bool is_terminal, stays;
    oak_line_parity parity;
    oak_line_flow flow;
} linux_line;

static const struct {
    uint32_t speed;
    speed_t code;
} speeds[] = {{300, B300},         {600, B600},         {1200, B1200},       {2400, B2400},
              {4800, B4800},       {9600, B9600},       {19200, B19200},     {38400, B38400},
              {57600, B57600},     {115200, B115200},   {230400, B230400},   {460800, B460800},
              {500000, B500000},   {921600, B921600},   {1000000, B1000000}, {1500000, B1500000},
              {2000000, B2000000}, {3000000, B3000000}, {4000000, B4000000}};

static oak_status line_send(void *line, const uint8_t *bytes, size_t count)
{
    const linux_line *self = line;
    while (count) {
        ssize_t part = write(self->writes, bytes, count);
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
        settings.c_cflag &= ~(tcflag_t)(PARODD | CRTSCTS);
        if (self->parity) settings.c_cflag |= PARENB;
        if (self->parity == OAK_PARITY_ODD) settings.c_cflag |= PARODD;
        if (self->flow == OAK_FLOW_WIRES) settings.c_cflag |= CRTSCTS;
        if (self->flow == OAK_FLOW_CHARACTERS) settings.c_iflag |= IXON | IXOFF;
        cfsetispeed(&settings, speeds[i].code);
        cfsetospeed(&settings, speeds[i].code);
        return tcsetattr(self->descriptor, TCSANOW, &settings) ? OAK_IO_ERROR : OAK_OK;
    }
    return OAK_UNSUPPORTED;
}

static void line_close(void *line)
{
    linux_line *self = line;
    if (self->other >= 0) close(self->other);
    if (!self->stays) close(self->descriptor);
    free(self);
}

static oak_status make_line(const linux_line *from, oak_line_port *line)
{
    static const oak_line_ops ops = {line_send, line_receive, line_set_speed, line_close};
    linux_line *self = malloc(sizeof *self);
    if (!self) {
        if (!from->stays) close(from->descriptor);
        return OAK_NO_MEMORY;
    }
    *self = *from;
    *line = (oak_line_port){self, &ops};
    return OAK_OK;
}

oak_status oak_linux_line_open_as(const oak_linux_line *settings, oak_line_port *line)
{
    if (!settings || !line || !settings->device) return OAK_MISUSE;
    int descriptor = open(settings->device, O_RDWR | O_NOCTTY | O_CLOEXEC | O_NONBLOCK);
    if (descriptor < 0) return errno == ENOENT ? OAK_NOT_FOUND : OAK_IO_ERROR;
    if (!isatty(descriptor) || fcntl(descriptor, F_SETFL, 0) || flock(descriptor, LOCK_EX | LOCK_NB)) {
        oak_status status = !isatty(descriptor) ? OAK_UNSUPPORTED : OAK_INTERRUPTED;
        close(descriptor);
        return status;
    }
    oak_line_port made;
    oak_status status = make_line(&(linux_line){.descriptor = descriptor,
                                                .writes = descriptor,
                                                .other = -1,
                                                .is_terminal = true,
                                                .parity = settings->parity,
                                                .flow = settings->flow},
                                  &made);
    if (status) return status;
    status = line_set_speed(made.line, settings->bits_per_second);
    if (status) line_close(made.line);
    else *line = made;
    return status;
}

oak_status oak_linux_line_open(const char *device, uint32_t bits_per_second, oak_line_port *line)
{
    if (!device || !line) return OAK_MISUSE;
    return oak_linux_line_open_as(&(oak_linux_line){.device = device, .bits_per_second = bits_per_second},
                                  line);
}

oak_status oak_linux_line_over(int reads, int writes, oak_line_port *line)
{
    if (!line) return OAK_MISUSE;
    return make_line(&(linux_line){.descriptor = reads, .writes = writes, .other = -1, .stays = true}, line);
}

oak_status oak_linux_line_pseudo(oak_line_port *line, int *descriptor, char *text, size_t room)
{
    if (!line || !text) return OAK_MISUSE;
    linux_line made = {.other = -1, .descriptor = posix_openpt(O_RDWR | O_NOCTTY | O_CLOEXEC)};
    struct termios raw;
    char name[64];
    made.writes = made.descriptor;
    oak_status status = made.descriptor >= 0 && !grantpt(made.descriptor) && !unlockpt(made.descriptor) &&
                                !ptsname_r(made.descriptor, name, sizeof name)
                            ? OAK_OK
                            : OAK_UNSUPPORTED;
    if (!status && strlen(name) >= room) status = OAK_OUT_OF_RANGE;
    if (!status && (made.other = open(name, O_RDWR | O_NOCTTY | O_CLOEXEC)) < 0) status = OAK_UNSUPPORTED;
    if (!status && tcgetattr(made.other, &raw)) status = OAK_UNSUPPORTED;
    if (status) {
        if (made.other >= 0) close(made.other);
        if (made.descriptor >= 0) close(made.descriptor);
        return status;
    }
    cfmakeraw(&raw);
    tcsetattr(made.other, TCSANOW, &raw);
    status = make_line(&made, line);
    if (status) close(made.other);
    if (!status && descriptor) *descriptor = made.descriptor;
    if (!status) strcpy(text, name);
    return status;
}

oak_status oak_linux_line_pair(oak_line_port *a, oak_line_port *b)
{
    if (!a || !b) return OAK_MISUSE;
    int ends[2];
    if (socketpair(AF_UNIX, SOCK_STREAM, 0, ends)) return OAK_IO_ERROR;
    oak_status status = make_line(&(linux_line){.descriptor = ends[0], .writes = ends[0], .other = -1}, a);
    if (status) {
        close(ends[1]);
        return status;
    }
    status = make_line(&(linux_line){.descriptor = ends[1], .writes = ends[1], .other = -1}, b);
    if (status) line_close(a->line);
    return status;
}
