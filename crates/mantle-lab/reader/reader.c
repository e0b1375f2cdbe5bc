/* What a game sees: SDL2's game-controller interface, as lines.
 *
 * Output:  added INSTANCE NAME | removed INSTANCE | joystick NAME VENDOR PRODUCT | button INSTANCE NAME 0|1 |
 *          axis INSTANCE NAME VALUE | rumbled MILLISECONDS | listed
 * Input:   list      all joysticks that SDL lists now, then "listed"
 *          rumble    0x4000 0xffff 300 ms on the first controller
 *          quit
 */
#include <SDL.h>
#include <poll.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

static SDL_GameController *first;

static void command(const char *line) {
  if (!strncmp(line, "list", 4)) {
    for (int i = 0; i < SDL_NumJoysticks(); i++)
      printf("joystick %04x:%04x %s %s\n", SDL_JoystickGetDeviceVendor(i), SDL_JoystickGetDeviceProduct(i),
             SDL_IsGameController(i) ? "controller" : "joystick", SDL_JoystickPathForIndex(i));
    puts("listed");
  } else if (!strncmp(line, "open", 4)) {
    for (int i = 0; i < SDL_NumJoysticks(); i++) {
      SDL_Joystick *j = SDL_IsGameController(i) ? NULL : SDL_JoystickOpen(i);
      if (j)
        printf("shape %s %d axes %d buttons %d hats\n", SDL_JoystickPath(j), SDL_JoystickNumAxes(j),
               SDL_JoystickNumButtons(j), SDL_JoystickNumHats(j));
    }
    puts("opened");
  } else if (!strncmp(line, "rumble", 6)) {
    Uint32 before = SDL_GetTicks();
    int result = first ? SDL_GameControllerRumble(first, 0x4000, 0xffff, 300) : -2;
    printf("rumbled %u %d\n", SDL_GetTicks() - before, result);
  } else if (!strncmp(line, "quit", 4)) {
    SDL_Quit();
    exit(0);
  }
}

int main(void) {
  setvbuf(stdout, NULL, _IOLBF, 0);
  SDL_SetHint(SDL_HINT_JOYSTICK_ALLOW_BACKGROUND_EVENTS, "1");
  SDL_SetHint(SDL_HINT_JOYSTICK_HIDAPI, "0");
  if (SDL_Init(SDL_INIT_GAMECONTROLLER | SDL_INIT_EVENTS)) {
    printf("failed %s\n", SDL_GetError());
    return 1;
  }
  puts("ready");
  char line[256];
  size_t have = 0;
  for (;;) {
    SDL_Event e;
    while (SDL_PollEvent(&e)) {
      switch (e.type) {
      case SDL_CONTROLLERDEVICEADDED: {
        SDL_GameController *c = SDL_GameControllerOpen(e.cdevice.which);
        if (!c) { printf("refused %d %s\n", e.cdevice.which, SDL_GetError()); break; }
        if (!first) first = c;
        SDL_Joystick *j = SDL_GameControllerGetJoystick(c);
        printf("added %d %d %s\n", SDL_JoystickInstanceID(j), SDL_GameControllerGetPlayerIndex(c), SDL_JoystickPath(j));
        break;
      }
      case SDL_CONTROLLERDEVICEREMOVED: printf("removed %d\n", e.cdevice.which); break;
      case SDL_CONTROLLERBUTTONDOWN:
      case SDL_CONTROLLERBUTTONUP:
        printf("button %d %s %d\n", e.cbutton.which, SDL_GameControllerGetStringForButton(e.cbutton.button), e.cbutton.state);
        break;
      // What is a controller as well is told as one.
      case SDL_JOYBUTTONDOWN:
      case SDL_JOYBUTTONUP:
        if (!SDL_GameControllerFromInstanceID(e.jbutton.which)) printf("joybutton %d %d\n", e.jbutton.button, e.jbutton.state);
        break;
      case SDL_JOYAXISMOTION:
        if (!SDL_GameControllerFromInstanceID(e.jaxis.which)) printf("joyaxis %d %d\n", e.jaxis.axis, e.jaxis.value);
        break;
      case SDL_JOYHATMOTION:
        if (!SDL_GameControllerFromInstanceID(e.jhat.which)) printf("joyhat %d %d\n", e.jhat.hat, e.jhat.value);
        break;
      case SDL_CONTROLLERAXISMOTION:
        printf("axis %d %s %d\n", e.caxis.which, SDL_GameControllerGetStringForAxis(e.caxis.axis), e.caxis.value);
        break;
      }
    }
    struct pollfd p = {0, POLLIN, 0};
    if (poll(&p, 1, 4) > 0) {
      ssize_t n = read(0, line + have, sizeof line - 1 - have);
      if (n <= 0) { SDL_Quit(); return 0; }
      have += n;
      line[have] = 0;
      char *end;
      while ((end = strchr(line, '\n'))) {
        *end = 0;
        command(line);
        have -= end + 1 - line;
        memmove(line, end + 1, have + 1);
      }
    }
  }
}
