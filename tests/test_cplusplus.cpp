// The library from C++, through its shared form: assemble, run, read.
#include <cstdio>
#include <cstring>

#include <oakspindle/oakspindle.h>

int main()
{
    oak_host host = oak_linux_host();
    oak_architecture const *about = oak_architecture_find("mcs51");
    oak_part_memory memories[] = {{1, false, 0, 4096, "code", 0}, {2, true, 0, 128, "ram", 0}};
    oak_part part{};
    part.name = "from C++";
    part.title = "";
    part.architecture = about;
    part.clock_millihertz = 12000000000u;
    part.clocks_per_cycle = 12;
    part.memories = memories;
    part.memory_count = 2;
    const char *text = " mov a, #41\n inc a\nrest: sjmp rest\n";
    oak_program *program = nullptr;
    oak_machine *machine = nullptr;
    oak_session *session = nullptr;
    oak_diag_sink none{};
    if (oak_assemble_text(&host, &part, "t", text, std::strlen(text), &none, &program) != OAK_OK) return 1;
    uint32_t outside;
    if (oak_machine_create(&host, &part, &machine) != OAK_OK) return 2;
    if (oak_machine_load(machine, oak_program_image(program), &outside) != OAK_OK) return 3;
    oak_chip_port chip = oak_machine_port(machine);
    if (oak_session_open(&host, &chip, program, &session) != OAK_OK) return 4;
    oak_budget budget{};
    oak_event event;
    if (oak_session_run(session, &budget, &none, &event) != OAK_OK) return 5;
    oak_reading reading;
    if (oak_session_value(session, "a", &none, &reading) != OAK_OK) return 6;
    oak_session_close(session);
    oak_machine_free(machine);
    oak_program_free(program);
    std::printf("a is %lld, stop %d\n", static_cast<long long>(reading.value),
                static_cast<int>(event.stop.reason));
    return reading.value == 42 && event.stop.reason == OAK_STOP_PARKED ? 0 : 7;
}
