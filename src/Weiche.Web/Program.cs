return Weiche.Web.Startup.Launcher.Start(args);
