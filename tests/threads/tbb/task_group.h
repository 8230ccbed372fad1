#pragma once

#include "stand_in.hpp"
