# The examples as a project of their own, built with the installed package: copy this folder, then
#   cmake -G Ninja -B build && cmake --build build
#   yarnswift rehearse -m build/modules scenes/shift.scene.yaml
cmake_minimum_required(VERSION 3.25)
project(yarnswift_examples LANGUAGES C)
find_package(yarnswift REQUIRED)
set(CMAKE_C_STANDARD 11)

yarnswift_module(torque_wrench torque_wrench/torque_wrench.device.yaml torque_wrench/wrench.c torque_wrench/workstation.c)
yarnswift_module(torque_logger torque_logger/torque_logger.device.yaml torque_logger/logger.c torque_logger/workstation.c)
yarnswift_client(torque_logger torque_wrench/torque_wrench.device.yaml)
yarnswift_module(tool_cabinet tool_cabinet/tool_cabinet.device.yaml tool_cabinet/cabinet.c)
yarnswift_module(hoist crane/hoist.device.yaml crane/hoist.c)
yarnswift_module(crane_remote crane/crane_remote.device.yaml crane/crane_remote.c)
yarnswift_client(crane_remote crane/hoist.device.yaml)
yarnswift_module(bolt_counter bolt_counter/bolt_counter.device.yaml bolt_counter/bolt_counter.c)
yarnswift_module(lightning_logger lightning/lightning_logger.device.yaml lightning/lightning_logger.c)
yarnswift_module(strike_receiver lightning/strike_receiver.device.yaml lightning/strike_receiver.c)
yarnswift_client(strike_receiver lightning/lightning_logger.device.yaml)
