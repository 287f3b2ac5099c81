"""What lies on the disk: the project file, its versions, journal and lock, the libraries, and the media it reads."""
