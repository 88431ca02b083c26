Pod::Spec.new do |s|
  s.name = 'tern_camera'
  s.version = '2.1.0'
  s.summary = 'Viewfinder, photos and video.'
  s.homepage = 'https://docs.marram.example/tern_camera'
  s.license = 'MIT'
  s.author = 'Marram'
  s.source = { :path => '.' }
  s.source_files = 'Classes/**/*'
  s.platform = :ios, '13.0'
end
