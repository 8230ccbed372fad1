#include "command.hpp"

#include <algorithm>

namespace zerobeat::tool {

void Command::add_to(CLI::App& app) {
  app_ = app.add_subcommand(name_, help_);
  app_->allow_extras();
  app_->fallthrough(false);
  for (const OptionGroup& group : groups_) {
    for (const BoundOption& option : group.options) {
      const std::string flag = (option.name == "output" ? "-o,--" : "--") + option.name;
      std::string help = option.help;
      if (const std::string value = option.get(); !value.empty() && !option.value_name.empty()) {
        help += " [" + value + "]";
      }
      auto& given = given_[option.name];
      CLI::Option* added = nullptr;
      if (option.value_name.empty()) {
        added = app_->add_flag_callback(
            flag, [&given] { given.emplace_back("true"); }, help);
      } else {
        added = app_->add_option_function<std::string>(
                        flag, [&given](const std::string& value) { given.push_back(value); }, help)
                    ->trigger_on_parse()
                    ->type_name(option.value_name);
      }
      added->group(group.title);
    }
  }
  app_->add_option("files", files_, operands_)->type_name("")->group("operands");
}

void Command::take_given() {
  std::vector<std::string> names{"--help", "-o"};
  for (const auto& group : groups_) {
    for (const auto& option : group.options) names.push_back("--" + option.name);
  }
  for (const auto& extra : app_->remaining()) {
    if (extra == "--") continue;
    const std::string option = extra.substr(0, extra.find('='));
    fail_usage("{}: there is no option {}{}", name_, option, did_you_mean(option, names));
  }
  for (auto& group : groups_) {
    for (auto& option : group.options) {
      const auto& values = given_[option.name];
      if (values.empty()) continue;
      if (group.title == reading_title) {
        reading_given_[option.name] = values;
        continue;
      }
      if (std::ranges::find(group.options_of_files, option.name) != group.options_of_files.end()) {
        of_files_given_[option.name] = values;
        continue;
      }
      if (values.size() > 1 && !option.value_name.empty()) {
        fail_usage("{}: --{} is given twice: {} and {}", name_, option.name, values[0], values[1]);
      }
      try {
        option.set(values[0]);
      } catch (const Error& error) {
        throw Error(error.kind(),
                    fmt::format("{}: --{} {}: {}", name_, option.name, values[0], error.what()));
      }
    }
  }
}

}  // namespace zerobeat::tool
