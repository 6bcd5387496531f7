"""Where pictures come from: cameras that speak the device protocol, any that OpenCV opens, files."""
