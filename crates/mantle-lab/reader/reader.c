/* What a game sees: SDL2's game-controller interface, as lines.
 *
 * Output:  added INSTANCE NAME | removed INSTANCE | joystick NAME VENDOR PRODUCT | button INSTANCE NAME 0|1 |
 *          axis INSTANCE NAME VALUE | rumbled MILLISECONDS | listed |
 *          abilities INSTANCE GYRO ACCELEROMETER SURFACES FINGERS LAMP RUMBLE |
 *          senses INSTANCE turning X Y Z (mrad/s) pull X Y Z (mm/s2) battery LEVEL | finger INSTANCE N X Y (thousandths) | sensed | lit RESULT
 * Input:   list      all joysticks that SDL lists now, then "listed"
 *          rumble    0x4000 0xffff 300 ms on the first controller
 *          sensors   what each controller can sense, and sensing switched on
 *          senses    what their sensors tell now, and their fingers
 *          lamp R G B   on the first controller
 *          quit
 * With READER_PLAIN in the environment nothing is hinted to the library: it is as a game finds it.
 */
#include <SDL.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static SDL_GameController *first;
static SDL_GameController *all[16];
static int many;

static int instance(SDL_GameController *c) { return SDL_JoystickInstanceID(SDL_GameControllerGetJoystick(c)); }

/* Opens whatever is there and not open. Not by the index of the event: who has been told of several may find another device there. */
static void added(void) {
  for (int i = 0; i < SDL_NumJoysticks(); i++) {
    if (!SDL_IsGameController(i) || SDL_GameControllerFromInstanceID(SDL_JoystickGetDeviceInstanceID(i))) continue;
    SDL_GameController *c = SDL_GameControllerOpen(i);
    if (!c) {
      printf("refused %d %s\n", i, SDL_GetError());
      continue;
    }
    if (!first) first = c;
    if (many < 16) all[many++] = c;
    printf("added %d %d %s\n", instance(c), SDL_GameControllerGetPlayerIndex(c), SDL_JoystickPath(SDL_GameControllerGetJoystick(c)));
  }
}

static void sensors(void) {
  for (int i = 0; i < many; i++) {
    SDL_GameController *c = all[i];
    SDL_GameControllerSetSensorEnabled(c, SDL_SENSOR_GYRO, SDL_TRUE);
    SDL_GameControllerSetSensorEnabled(c, SDL_SENSOR_ACCEL, SDL_TRUE);
    int surfaces = SDL_GameControllerGetNumTouchpads(c);
    printf("abilities %d %d %d %d %d %d %d\n", instance(c), SDL_GameControllerHasSensor(c, SDL_SENSOR_GYRO),
           SDL_GameControllerHasSensor(c, SDL_SENSOR_ACCEL), surfaces,
           surfaces ? SDL_GameControllerGetNumTouchpadFingers(c, 0) : 0, SDL_GameControllerHasLED(c),
           SDL_GameControllerHasRumble(c));
  }
}

static void senses(void) {
  for (int i = 0; i < many; i++) {
    SDL_GameController *c = all[i];
    float g[3] = {0}, a[3] = {0};
    SDL_GameControllerGetSensorData(c, SDL_SENSOR_GYRO, g, 3);
    SDL_GameControllerGetSensorData(c, SDL_SENSOR_ACCEL, a, 3);
    printf("senses %d turning %.0f %.0f %.0f pull %.0f %.0f %.0f battery %d\n", instance(c), g[0] * 1e3, g[1] * 1e3, g[2] * 1e3,
           a[0] * 1e3, a[1] * 1e3, a[2] * 1e3, SDL_JoystickCurrentPowerLevel(SDL_GameControllerGetJoystick(c)));
    for (int f = 0; SDL_GameControllerGetNumTouchpads(c) && f < SDL_GameControllerGetNumTouchpadFingers(c, 0); f++) {
      Uint8 down; float x, y, pressure;
      SDL_GameControllerGetTouchpadFinger(c, 0, f, &down, &x, &y, &pressure);
      if (down) printf("finger %d %d %.0f %.0f\n", instance(c), f, x * 1e3, y * 1e3);
    }
  }
  puts("sensed");
}

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
  } else if (!strncmp(line, "sensors", 7)) {
    sensors();
  } else if (!strncmp(line, "senses", 6)) {
    senses();
  } else if (!strncmp(line, "lamp", 4)) {
    int r, g, b;
    if (sscanf(line, "lamp %d %d %d", &r, &g, &b) == 3)
      printf("lit %d\n", first ? SDL_GameControllerSetLED(first, r, g, b) : -2);
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
  if (!getenv("READER_PLAIN")) SDL_SetHint(SDL_HINT_JOYSTICK_HIDAPI, "0");
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
      case SDL_CONTROLLERDEVICEADDED: added(); break;
      case SDL_CONTROLLERDEVICEREMOVED:
        printf("removed %d\n", e.cdevice.which);
        for (int i = 0; i < many; i++)
          if (instance(all[i]) == e.cdevice.which) all[i--] = all[--many];
        break;
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
