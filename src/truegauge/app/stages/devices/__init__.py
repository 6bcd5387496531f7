"""The Devices stage: machine, probes, qualifications, touching."""
